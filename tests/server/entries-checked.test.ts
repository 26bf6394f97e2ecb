import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import { openHouse, type House } from './house';

/** What rows of the journal name is checked once a statement: it keeps what keys kept. */
let house: House;
let known: { origin: number; period: number; revision: number; address: number[] };
beforeAll(async () => {
	house = await openHouse('entrieschecked');
	const tove = await house.person('Tove', 1);
	const { form } = await openForm(tove, 1, 'route-contribution', { members: {} });
	const column = form.columns.findIndex(({ label }) => label === 'May 2027');
	const row = form.rows.findIndex(({ label }) => label === 'Coaches');
	await enterFigures(tove, 1, 'route-contribution', { members: {} }, { entries: [{ row, column, text: '5' }], structure: form.structure });
	await saveDraft(tove, 1, 'route-contribution', { keepMine: [], takeTheirs: [] });
	const found = await house.database.pool.query<typeof known>(
		'SELECT origin_id AS origin, period_id AS period, revision::integer AS revision, address FROM entry_change WHERE model_id = 1 ORDER BY revision DESC LIMIT 1'
	);
	known = found.rows[0]!;
});
afterAll(() => house.close());

const insert = (more: Partial<typeof known>) => {
	const { origin, period, revision, address } = { ...known, ...more };
	return house.database.pool.query(
		'INSERT INTO entry_change (model_id, revision, origin_id, address, period_id, before, after, beneath) SELECT 1, $1, $2, $3, $4, 0, n, 0 FROM generate_series(1, 3) AS n',
		[revision, origin, address, period]
	);
};
const refused = (work: Promise<unknown>) => expect(work).rejects.toMatchObject({ code: '23503' });

describe('rows of the journal', () => {
	test('name an origin, a period and a change set that are there', async () => {
		await insert({});
		await refused(insert({ origin: 999_999 }));
		await refused(insert({ period: known.address[0]! }));
		await refused(insert({ revision: 999_999 }));
		await refused(house.database.pool.query('UPDATE entry_change SET origin_id = 999999 WHERE revision = $1', [known.revision]));
	});

	test('keep what they name from being deleted, and nothing else', async () => {
		await refused(house.database.pool.query('DELETE FROM period WHERE member_id = $1', [known.period]));
		await refused(house.database.pool.query('DELETE FROM origin WHERE id = $1', [known.origin]));
		const made = await house.database.pool.query<{ id: number }>(
			"INSERT INTO origin (model_id, mode, name) VALUES (1, 'loads', 'Nobody names it') RETURNING id"
		);
		await house.database.pool.query('DELETE FROM origin WHERE id = $1', [made.rows[0]!.id]);
	});

	test('go with their change set', async () => {
		const count = async () =>
			(await house.database.pool.query('SELECT FROM entry_change WHERE model_id = 1 AND revision = $1', [known.revision])).rowCount;
		expect(await count()).toBeGreaterThan(0);
		await house.database.pool.query('DELETE FROM change_set WHERE model_id = 1 AND revision = $1', [known.revision]);
		expect(await count()).toBe(0);
	});
});
