// A run that shares a million cells out, stored with its journal and its trace, against one statement that divides the same by
// largest remainder into a table with a row per cell and its index, and a row per cell into a journal.
import type pg from 'pg';
import { askRunner } from '../src/lib/server/engine';
import { createRunbook, readRun, saveRunbook, startRun, takeBackRun } from '../src/lib/server/runbook';
import { administrator, withDemo } from './application';
import { measure, type Measure } from './timing';

const RUNS = 3;
const UNITS = 167;
const RECEIVERS = 500;
const MONTHS = 12;

export const allocationStored = (): Promise<Measure[]> => withDemo(async (pool) => [await timeRun(pool)]);

async function timeRun(pool: pg.Pool): Promise<Measure> {
	const one = async (text: string, values: unknown[] = []) => (await pool.query<{ id: number }>(text, values)).rows[0]!.id;
	const model = await one("SELECT id FROM model WHERE code = 'route-result'");
	await pool.query('DELETE FROM access_lock');
	await pool.query(`DELETE FROM cells_${model}`);
	const dimension = (code: string) => one('SELECT id FROM dimension WHERE code = $1', [code]);
	const [items, scenarios, objects, routes, channels, customers] = [
		await dimension('result-item'),
		await dimension('scenario'),
		await dimension('cost-object'),
		await dimension('route'),
		await dimension('sales-channel'),
		await dimension('customer')
	];
	const member = (of: number, code: string) => one('SELECT id FROM member WHERE dimension_id = $1 AND code = $2', [of, code]);
	/** Members under one of their own. @returns that, and them */
	const under = async (of: number, count: number): Promise<{ top: number; leaves: number[] }> => {
		const hierarchy = await one('SELECT id FROM hierarchy WHERE dimension_id = $1 AND main', [of]);
		const made = await pool.query<{ id: number }>(
			`INSERT INTO member (dimension_id, code, name) SELECT $1, 'BENCH' || g, 'Bench ' || g FROM generate_series(0, $2) AS g RETURNING id`,
			[of, count]
		);
		const [top, ...leaves] = made.rows.map(({ id }) => id);
		await pool.query(
			`INSERT INTO hierarchy_node (hierarchy_id, dimension_id, member_id, parent_id, weight, position)
			SELECT $1, $2, m, CASE WHEN o > 1 THEN $3::integer END, 1, 10000 + o FROM unnest($4::integer[]) WITH ORDINALITY AS n (m, o)`,
			[hierarchy, of, top, made.rows.map(({ id }) => id)]
		);
		return { top: top!, leaves };
	};
	const [pools, receivers] = [await under(objects, UNITS), await under(customers, RECEIVERS)];
	const origin = await one("SELECT id FROM origin WHERE model_id = $1 AND name = 'Costs as booked'", [model]);
	const [pay, driver, budget] = [await member(items, 'PAY'), await member(items, 'BKG'), await member(scenarios, 'BUD28')];
	const [noObject, noRoute, noChannel, noCustomer] = [
		await member(objects, 'NOOBJECT'),
		await member(routes, 'NOROUTE'),
		await member(channels, 'NOCHANNEL'),
		await member(customers, 'NOCUSTOMER')
	];
	const columns = [items, scenarios, objects, routes, channels, customers].map((id) => `d${id}`).join(', ');
	const fill = (account: number, object: string, customer: string, of: number[], amount: string) =>
		pool.query(
			`INSERT INTO cells_${model} (${columns}, fiscal_year, origin_id, change_set, amounts)
			SELECT ${account}, ${budget}, ${object}, ${noRoute}, ${noChannel}, ${customer}, 2028, ${origin}, 1,
				ARRAY(SELECT ${amount} FROM generate_series(0, 11) AS month) FROM unnest($1::integer[]) WITH ORDINALITY AS n (m, o)`,
			[of]
		);
	await fill(pay, 'm', String(noCustomer), pools.leaves, '(100000 + ((((o - 1) * 12 + month) * 7919) % 100000))::float8 / 100');
	await fill(driver, String(noObject), 'm', receivers.leaves, '(1 + (((o - 1) * 104729) % 997))::float8');
	const cells = UNITS * RECEIVERS * MONTHS;

	await pool.query(
		`CREATE TABLE stored_pool AS SELECT g AS unit, (100000 + ((g * 7919) % 100000))::float8 AS cents FROM generate_series(0, $1) AS g`,
		[UNITS * MONTHS - 1]
	);
	await pool.query(
		`CREATE TABLE stored_driver AS SELECT g AS receiver, (1 + ((g * 104729) % 997))::float8 AS weight FROM generate_series(0, $1) AS g`,
		[RECEIVERS - 1]
	);
	await pool.query('CREATE TABLE stored (unit integer, receiver integer, amount float8, PRIMARY KEY (unit, receiver))');
	await pool.query('CREATE TABLE stored_journal (revision integer, unit integer, receiver integer, before float8, after float8)');
	await pool.query('ANALYZE');
	const peers: number[] = [];
	for (let run = 0; run <= RUNS; run++) {
		const from = performance.now();
		const client = await pool.connect();
		await client.query('BEGIN');
		await client.query(
			`WITH part AS (
				SELECT p.unit, d.receiver, p.cents, floor(p.cents * d.weight / t.total) AS units, p.cents * d.weight / t.total - floor(p.cents * d.weight / t.total) AS rest
				FROM stored_pool p CROSS JOIN stored_driver d CROSS JOIN (SELECT sum(weight) AS total FROM stored_driver) t
			), ranked AS (
				SELECT unit, receiver, units, cents - sum(units) OVER (PARTITION BY unit) AS missing, row_number() OVER (PARTITION BY unit ORDER BY rest DESC, receiver) AS rank FROM part
			) INSERT INTO stored SELECT unit, receiver, (units + CASE WHEN rank <= missing THEN 1 ELSE 0 END) / 100 FROM ranked`
		);
		await client.query('INSERT INTO stored_journal SELECT 2, unit, receiver, NULL, amount FROM stored');
		await client.query('COMMIT');
		client.release();
		if (run > 0) peers.push(performance.now() - from);
		await pool.query('TRUNCATE stored');
		await pool.query('TRUNCATE stored_journal');
	}

	const person = await administrator(pool);
	const { id } = await createRunbook(person, model, { name: 'A million' });
	const these = (...members: number[]) => ({ kind: 'these' as const, members });
	await saveRunbook(person, model, id, {
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
				name: 'Share',
				description: '',
				active: true,
				limits: { [scenarios]: these(budget) },
				kind: 'allocation',
				lines: [
					{
						name: 'Line',
						pool: { [items]: these(pay), [objects]: { kind: 'leaves', of: pools.top }, [customers]: these(noCustomer) },
						receivers: { [customers]: { kind: 'leaves', of: receivers.top } },
						basis: { by: 'driver', drivers: [{ account: driver, at: { [objects]: noObject } }] },
						share: 100
					}
				],
				contra: 'none',
				noDriver: 'stranded',
				negative: 'refuse',
				currency: null
			}
		]
	});
	await askRunner(model, 'ready', { revision: 0 });
	const ours: number[] = [];
	for (let run = 0; run <= RUNS; run++) {
		const from = performance.now();
		const started = await startRun(person, model, id, { answers: {} });
		if (run > 0) ours.push(performance.now() - from);
		const done = await readRun(person, model, started.run);
		if (done.cells < cells * 0.99) throw new Error(`${done.cells} of ${cells} cells: ${done.words}`);
		await takeBackRun(person, model, started.run);
		await pool.query(`VACUUM cells_${model}`);
	}
	const middle = (times: number[]) => times.sort((one, other) => one - other)[Math.floor(times.length / 2)]!;
	return measure(
		'a run that shares 1M cells out, stored with journal and trace and visible (peer: one statement, row per cell, index, journal)',
		middle(ours),
		middle(peers),
		0.5
	);
}
