import { afterAll, beforeAll, expect, test } from 'vitest';
import { verifyModels } from '../../src/lib/server/verify';
import { freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
beforeAll(async () => {
	database = await freshDatabase('verifying', { demo: true });
}, 60_000);
afterAll(() => database.close());

const verified = async () => {
	const client = await database.pool.connect();
	try {
		return (await verifyModels(client)).find(({ model }) => model === 'Balances by flow')!;
	} finally {
		client.release();
	}
};
const MODEL = "(SELECT id FROM model WHERE name = 'Balances by flow')";

test('a database as it was written has no differences; one that was touched has each of them', async () => {
	const sound = await verified();
	expect(sound).toMatchObject({ differences: 0, first: [] });
	expect(sound.cells).toBeGreaterThan(500);
	const { rows } = await database.pool.query<{ id: number }>(`SELECT id FROM model WHERE id = ${MODEL}`);
	const table = `cells_${rows[0]!.id}`;
	// One figure is another, one is gone, one is there that nobody wrote.
	const { rows: three } = await database.pool.query<{ at: string }>(
		`SELECT ctid::text AS at FROM ${table} WHERE amounts[1] IS NOT NULL ORDER BY ctid LIMIT 3`
	);
	await database.pool.query(`UPDATE ${table} SET amounts[1] = amounts[1] + 1 WHERE ctid = $1::tid`, [three[0]!.at]);
	expect(await verified()).toMatchObject({ differences: 1, first: [expect.stringContaining('is stored, the journal says')] });
	await database.pool.query(`UPDATE ${table} SET amounts[1] = NULL WHERE ctid = $1::tid`, [three[1]!.at]);
	expect((await verified()).differences).toBe(2);
	const { rows: gone } = await database.pool.query<{ cells: number }>(
		`DELETE FROM ${table} WHERE ctid = $1::tid RETURNING cardinality(array_remove(amounts, NULL)) AS cells`,
		[three[2]!.at]
	);
	expect((await verified()).differences).toBe(2 + gone[0]!.cells);
});
