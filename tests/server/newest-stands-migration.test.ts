import { copyFileSync, mkdtempSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { migrate } from '../../src/lib/server/database/migrate';
import { freshDatabase } from './demo-database';

const MIGRATIONS = 'src/lib/server/database/migrations';
let database: Awaited<ReturnType<typeof freshDatabase>>;

/** A month's amounts of one year; the rest of it is empty. */
const year = (...months: (number | null)[]) => [...months, ...Array<null>(12 - months.length).fill(null)];

/** What each origin held when results still added themselves: see the hand-worked months in the test. */
const HELD = [
	{ name: 'Entry', mode: 'entry', changeSet: 3, amounts: year(null, 7) },
	{ name: 'Ledger', mode: 'proposes', changeSet: 1, amounts: year(100, null, 100, 100) },
	{ name: 'Late ledger', mode: 'proposes', changeSet: 4, amounts: year(null, null, null, null, 60) },
	{
		name: 'Growth of 3 %',
		mode: 'proposes',
		step: 1,
		answers: '[["growth",3]]',
		changeSet: 1,
		amounts: year(null, null, null, null, null, 11)
	},
	{ name: 'Growth of 10 %', mode: 'proposes', step: 1, answers: '[["growth",10]]', changeSet: 2, amounts: year(40, null, null, null, 40) },
	{ name: 'Carried', mode: 'adds', step: 2, answers: '[["growth",3],["line",5]]', changeSet: 2, amounts: year(null, 9, null, 30) },
	{ name: 'On top', mode: 'adds', step: 3, answers: '[]', changeSet: 3, amounts: year(null, null, 5) }
];

beforeAll(async () => {
	const folder = mkdtempSync(join(tmpdir(), 'migrations-'));
	for (const file of readdirSync(MIGRATIONS)) if (file < '0016') copyFileSync(join(MIGRATIONS, file), join(folder, file));
	database = await freshDatabase('newest_stands', { demo: false, migrations: folder });
	await database.pool.query(`
		INSERT INTO currency (code) VALUES ('EUR') ON CONFLICT DO NOTHING;
		INSERT INTO dimension (code, name, kind) VALUES ('account', 'Account', 'account');
		INSERT INTO member (dimension_id, code, name) VALUES (1, 'LOANS', 'Loans');
		INSERT INTO account (member_id, kind, value_type, time_behaviour, consolidation) VALUES (1, 'liability', 'money', 'flow', 'sum');
		INSERT INTO model (code, name, reporting_currency, revision) VALUES ('plan', 'Plan', 'EUR', 4);
		INSERT INTO model_dimension VALUES (1, 1, 0);
		INSERT INTO runbook (model_id, name, parameters) VALUES (1, 'Open', '[{"name": "growth", "kind": "percent"}, {"name": "line", "kind": "member"}]');
		INSERT INTO runbook_step (id, runbook_id, position, kind, name, definition) VALUES
			(1, 1, 0, 'formula', 'Growth', '{}'), (2, 1, 1, 'roll-forward', 'Carried', '{}'), (3, 1, 2, 'copy', 'On top', '{}');
		CREATE TABLE cells_1 (d1 integer NOT NULL, fiscal_year smallint NOT NULL, origin_id integer NOT NULL, change_set bigint NOT NULL,
			amounts double precision[] NOT NULL, PRIMARY KEY (d1, fiscal_year, origin_id));
		CREATE VIEW report_cells_1 AS SELECT m0.code AS account, c.fiscal_year, a.place AS period_of_year, o.name AS origin, a.amount
			FROM cells_1 c JOIN member m0 ON m0.id = c.d1 JOIN origin o ON o.id = c.origin_id
			CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY AS a (amount, place) WHERE a.amount IS NOT NULL;`);
	for (const { name, mode, step, answers, changeSet, amounts } of HELD) {
		await database.pool.query(
			'INSERT INTO origin (model_id, mode, name, runbook_id, step_id, answers) VALUES (1, $1, $2, CASE WHEN $3::integer IS NULL THEN NULL ELSE 1 END, $3, $4)',
			[mode, name, step ?? null, answers ?? null]
		);
		await database.pool.query('INSERT INTO cells_1 SELECT 1, 2028, id, $2, $3 FROM origin WHERE name = $1', [name, changeSet, amounts]);
	}
	for (const number of [1, 2, 3, 4])
		await database.pool.query(
			`INSERT INTO change_set (model_id, revision, number, through, kind, cells, origins)
				SELECT 1, $1, $1, 'before', 'save', 1, array_agg(origin_id) FROM cells_1 WHERE change_set = $1`,
			[number]
		);
	await migrate(database.pool, MIGRATIONS);
});
afterAll(() => database.close());

test('lists every figure that moves when results stop adding themselves, and no other', async () => {
	const { rows } = await database.pool.query('SELECT address, fiscal_year, place, before, after FROM figure_moved ORDER BY place');
	expect(rows.map(({ address, fiscal_year, ...moved }) => [address, fiscal_year, moved])).toEqual(
		[
			// A result stands in place of the older load it was added to.
			{ place: 1, before: 140, after: 40 },
			// What was typed is no longer added to by what a roll-forward carried.
			{ place: 2, before: 16, after: 7 },
			// Month 3: a load and what comes on top of it stay 105. Month 6: a result alone stays.
			{ place: 4, before: 130, after: 30 },
			// A load newer than the result stands.
			{ place: 5, before: 100, after: 60 }
		].map((moved) => [[1], 2028, moved])
	);
});

test('an origin’s mode says whether it loads, sets or adds', async () => {
	const { rows } = await database.pool.query<{ name: string; mode: string }>('SELECT name, mode FROM origin ORDER BY id');
	expect(Object.fromEntries(rows.map(({ name, mode }) => [name, mode]))).toEqual({
		Entry: 'entry',
		Ledger: 'loads',
		'Late ledger': 'loads',
		'Growth of 3 %': 'sets',
		'Growth of 10 %': 'sets',
		Carried: 'sets',
		'On top': 'adds'
	});
});

test('results are known by the members answered: the last of several runs keeps the plain name', async () => {
	const { rows } = await database.pool.query<{ id: number; name: string; answers: string }>(
		'SELECT id, name, answers FROM origin WHERE step_id IS NOT NULL ORDER BY id'
	);
	const [three] = rows;
	expect(rows.map(({ answers }) => answers)).toEqual([`[["~",${three!.id}]]`, '[]', '[["line",[5]]]', '[]']);
});

test('amounts are kept, and the view for reporting leaves out a result of nothing', async () => {
	const { rows } = await database.pool.query<{ sum: number }>('SELECT sum(amount) FROM report_cells_1');
	expect(rows[0]!.sum).toBe(7 + 300 + 60 + 11 + 80 + 39 + 5);
	await database.pool.query("UPDATE cells_1 SET amounts[1] = 'Infinity' WHERE amounts[1] = 40");
	const after = await database.pool.query<{ sum: number }>('SELECT sum(amount) FROM report_cells_1');
	expect(after.rows[0]!.sum).toBe(7 + 300 + 60 + 11 + 40 + 39 + 5);
});
