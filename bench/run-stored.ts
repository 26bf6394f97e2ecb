// A run that copies a million cells, stored with its journal, against INSERT … SELECT of the same cells into a table with a
// row per cell and its index, and of a row per cell into a journal.
import type pg from 'pg';
import { askRunner } from '../src/lib/server/engine';
import { createRunbook, readRun, saveRunbook, startRun, takeBackRun } from '../src/lib/server/runbook';
import { administrator, withDemo } from './application';
import { measure, type Measure } from './timing';

const RUNS = 3;
const SERIES = 83_334;

/** Copying Actual of two years onto the stretch plan, three years later. */
export const runStored = (): Promise<Measure[]> =>
	withDemo(async (pool) => {
		await pool.query('DELETE FROM access_lock');
		await pool.query('DELETE FROM formula');
		await pool.query('DELETE FROM cells_1');
		return [await timeRun(pool)];
	});

async function timeRun(pool: pg.Pool): Promise<Measure> {
	const one = async (text: string, values: unknown[] = []) => (await pool.query<{ id: number }>(text, values)).rows[0]!.id;
	const dimensions = (
		await pool.query<{ id: number; code: string }>(
			"SELECT d.id, d.code FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id WHERE m.model_id = 1 AND d.kind <> 'period' ORDER BY m.position"
		)
	).rows;
	const columns = dimensions.map(({ id }) => `d${id}`);
	const member = (code: string) => one('SELECT id FROM member WHERE code = $1', [code]);
	const [actual, stretch] = [await member('ACT'), await member('STR')];
	const scenario = dimensions.find(({ code }) => code === 'scenario')!.id;
	const leaves = dimensions.map(({ id, code }) =>
		code === 'scenario'
			? `(SELECT ${actual} AS id) AS m${id}`
			: `(SELECT m.id FROM member m WHERE m.dimension_id = ${id} AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)
				AND NOT EXISTS (SELECT FROM account a WHERE a.member_id = m.id AND (a.value_type NOT IN ('money', 'quantity') OR a.frequency <> 'per period'))) AS m${id}`
	);
	const origin = await one("SELECT id FROM origin WHERE model_id = 1 AND name = 'Opening figures'");
	await pool.query(
		`INSERT INTO cells_1 (${columns.join(', ')}, fiscal_year, origin_id, change_set, amounts)
		SELECT ${dimensions.map(({ id }) => `m${id}.id`).join(', ')}, y, ${origin}, 1, ARRAY(SELECT round((1 + random() * 1000)::numeric, 2)::float8 FROM generate_series(1, 12) WHERE m${dimensions[0]!.id}.id > 0)
		FROM ${leaves.join(' CROSS JOIN ')} CROSS JOIN generate_series(2025, 2026) AS y LIMIT ${SERIES}`
	);
	const cells = SERIES * 12;

	// The peer: the same cells a row each, copied in one statement, and a journal row each in another.
	const names = columns.join(', ');
	await pool.query(
		`CREATE TABLE plain AS SELECT ${names}, fiscal_year, a.place::integer AS place, a.amount FROM cells_1 c CROSS JOIN LATERAL unnest(c.amounts) WITH ORDINALITY AS a (amount, place)`
	);
	await pool.query(`ALTER TABLE plain ADD PRIMARY KEY (${names}, fiscal_year, place)`);
	await pool.query(
		`CREATE TABLE plain_journal AS SELECT 1 AS revision, ${names}, fiscal_year, place, amount AS before, amount AS after FROM plain LIMIT 0`
	);
	await pool.query('ANALYZE');
	const moved = columns.map((column) => (column === `d${scenario}` ? String(stretch) : column)).join(', ');
	const undo = async () => {
		await pool.query(`DELETE FROM plain WHERE d${scenario} = ${stretch}`);
		await pool.query('TRUNCATE plain_journal');
		await pool.query('VACUUM plain');
	};
	const peers: number[] = [];
	for (let run = 0; run <= RUNS; run++) {
		const from = performance.now();
		const client = await pool.connect();
		await client.query('BEGIN');
		await client.query(`INSERT INTO plain SELECT ${moved}, fiscal_year + 3, place, amount FROM plain WHERE d${scenario} = ${actual}`);
		await client.query(
			`INSERT INTO plain_journal SELECT 2, ${names}, fiscal_year, place, NULL, amount FROM plain WHERE d${scenario} = ${stretch}`
		);
		await client.query('COMMIT');
		client.release();
		if (run > 0) peers.push(performance.now() - from);
		await undo();
	}

	const person = await administrator(pool);
	const { id } = await createRunbook(person, 1, { name: 'A million' });
	await saveRunbook(person, 1, id, {
		name: 'A million',
		description: '',
		parameters: [],
		onRefused: 'skip',
		whenBusy: 'wait',
		runsAs: null,
		version: 1,
		steps: [
			{
				id: null,
				name: 'Copy',
				description: '',
				active: true,
				limits: {},
				kind: 'copy',
				from: { [scenario]: { kind: 'these', members: [actual] } },
				onto: { [scenario]: stretch },
				shift: { level: 'year', by: 3 },
				factor: 1
			}
		]
	});
	await askRunner(1, 'ready', { revision: 0 });
	const ours: number[] = [];
	for (let run = 0; run <= RUNS; run++) {
		const from = performance.now();
		const started = await startRun(person, 1, id, { answers: {} });
		if (run > 0) ours.push(performance.now() - from);
		const done = await readRun(person, 1, started.run);
		if (done.cells !== cells) throw new Error(`${done.cells} of ${cells} cells: ${done.words}`);
		await takeBackRun(person, 1, started.run);
		await pool.query('VACUUM cells_1');
	}
	const middle = (times: number[]) => times.sort((one, other) => one - other)[Math.floor(times.length / 2)]!;
	return measure(
		'a run that copies 1M cells, stored with its journal and visible (peer: INSERT … SELECT, row per cell, index, journal)',
		middle(ours),
		middle(peers),
		2
	);
}
