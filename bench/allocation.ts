// Allocations: two thousand pools over five hundred receivers each, in memory, against one statement of PostgreSQL that divides
// the same by largest remainder into a plain table; sixty steps of a year; and following a figure back.
import type pg from 'pg';
import { Cube, followBack, runSteps, type LineTrace, type Model, type RunOrder, type Step } from '../src/lib/core';
import { buildModel } from '../src/lib/core/testing';
import { packTraces } from '../src/lib/server/engine/requests/kept-traces';
import { withDemo } from './application';
import { measure, medianOf, type Measure } from './timing';

/** Units with a pool in each of twelve months: two thousand pools. */
const UNITS = 167;
const MONTHS = 12;
const RECEIVERS = 500;
const RUNS = 5;

const model = (receivers: number, pools: number): Model =>
	buildModel({
		accounts: [
			{ code: 'cost', account: { kind: 'expense' } },
			{ code: 'driver', account: { valueType: 'quantity' } }
		],
		scenarios: [{ code: 'plan' }],
		general: {
			unit: [{ code: 'everywhere' }, ...Array.from({ length: pools }, (_, at) => ({ code: `u${at}`, parent: 'everywhere' }))],
			product: [{ code: 'pool' }, { code: 'all' }, ...Array.from({ length: receivers }, (_, at) => ({ code: `p${at}`, parent: 'all' }))]
		}
	});
const idOf = (of: Model, dimension: string, code: string) =>
	of.definition.dimensions.find((each) => each.code === dimension)!.members.find((each) => each.code === code)!.id;
const these = (of: Model, dimension: string, code: string) => ({
	[of.definition.dimensions.find((each) => each.code === dimension)!.id]: { kind: 'these' as const, members: [idOf(of, dimension, code)] }
});
const amountOf = (pool: number) => 1_000 + ((pool * 7_919) % 100_000) / 100;
const weightOf = (receiver: number) => 1 + ((receiver * 104_729) % 997);

function stepOf(of: Model, id: number, from: string): Step {
	const unit = of.definition.dimensions.find((each) => each.code === 'unit')!.id;
	return {
		id,
		name: `Share ${id}`,
		description: '',
		active: true,
		limits: {},
		kind: 'allocation',
		lines: [
			{
				name: 'Line',
				pool: { ...these(of, 'account', 'cost'), ...these(of, 'product', from) },
				receivers: these(of, 'product', 'all'),
				basis: { by: 'driver', drivers: [{ account: idOf(of, 'account', 'driver'), at: { [unit]: idOf(of, 'unit', 'u0') } }] },
				share: 100
			}
		],
		contra: 'none',
		noDriver: 'stranded',
		negative: 'refuse',
		currency: null
	};
}
const order = (steps: Step[], more: Partial<RunOrder> = {}): RunOrder => ({
	steps,
	values: new Map(),
	variables: new Map(),
	originOf: new Map(steps.map(({ id }) => [id, 100 + id])),
	results: [],
	kindOf: () => 'loads',
	whyNot: () => undefined,
	onRefused: 'skip',
	breathe: () => {},
	progress: () => {},
	...more
});
function filled(of: Model, pools: number, receivers: number, periods: number): Cube {
	const cube = new Cube(of);
	const at = (account: number, unit: string, product: string) =>
		Int32Array.of(account, 0, of.dimensions[2]!.ordinalOfCode(unit)!, of.dimensions[3]!.ordinalOfCode(product)!);
	for (let period = 0; period < periods; period++) {
		for (let pool = 0; pool < pools; pool++) cube.writeCell(2, at(0, `u${pool}`, 'pool'), 2027, period, amountOf(pool));
		for (let receiver = 0; receiver < receivers; receiver++)
			cube.writeCell(2, at(1, 'u0', `p${receiver}`), 2027, period, weightOf(receiver));
	}
	return cube;
}

export const allocation = (): Promise<Measure[]> =>
	withDemo(async (pool) => {
		const peer = await inSql(pool);
		const of = model(RECEIVERS, UNITS);
		of.announce([{ id: 101, name: 'Share', mode: 'adds' }]);
		const cube = filled(of, UNITS, RECEIVERS, MONTHS);
		const traces: LineTrace[] = [];
		let cells = 0;
		const ours = await medianOf(RUNS, () => {
			cells = runSteps(of, cube, order([stepOf(of, 1, 'pool')])).cells;
		});
		runSteps(of, cube, order([stepOf(of, 1, 'pool')], { traced: (_, trace) => traces.push(trace) }));
		const bytes = packTraces(traces).byteLength;
		// Everything at once: each of a million links is looked at.
		const weights = new Map(of.dimensions.map(({ id, members }) => [id, new Map(members.map((member) => [member.id, 1]))]));
		const periods = new Set(of.periods.leaves.map(({ ordinal }) => of.periods.dimension.member(ordinal).id));
		const back = await medianOf(RUNS, () => traces.flatMap((trace) => followBack(trace, { weights, periods })));
		return [
			measure(
				`${cells.toLocaleString('en-GB')} cells from ${(UNITS * MONTHS).toLocaleString('en-GB')} pools, in memory (peer: PostgreSQL, one statement)`,
				ours,
				peer,
				0.1
			),
			measure('trace of them on disk, bytes a link (aim 12)', bytes / cells, 12, 1),
			measure('following all of them back, ms (aim 200)', back, 200, 1),
			measure('300 pools that serve one another, solved together, ms (aim 1,000)', await servingOneAnother(), 1_000, 1),
			measure('60 steps of 12 periods over 200,000 cells, ms (aim 3,000)', await manySteps(), 3_000, 1)
		];
	});

/** The same by largest remainder in one statement, into a table without anything. */
async function inSql(database: pg.Pool): Promise<number> {
	await database.query(
		'CREATE TABLE pool AS SELECT g AS unit, round((1000 + ((g * 7919) % 100000) / 100.0) * 100)::float8 AS cents FROM generate_series(0, $1) AS g',
		[UNITS * MONTHS - 1]
	);
	await database.query(
		'CREATE TABLE driver AS SELECT g AS product, (1 + ((g * 104729) % 997))::float8 AS weight FROM generate_series(0, $1) AS g',
		[RECEIVERS - 1]
	);
	await database.query('CREATE TABLE shared (unit integer, product integer, amount float8)');
	await database.query('ANALYZE');
	return medianOf(3, async () => {
		await database.query('TRUNCATE shared');
		await database.query(
			`WITH part AS (
				SELECT p.unit, d.product, p.cents, floor(p.cents * d.weight / t.total) AS units, p.cents * d.weight / t.total - floor(p.cents * d.weight / t.total) AS rest
				FROM pool p CROSS JOIN driver d CROSS JOIN (SELECT sum(weight) AS total FROM driver) t
			), ranked AS (
				SELECT unit, product, units, cents - sum(units) OVER (PARTITION BY unit) AS missing, row_number() OVER (PARTITION BY unit ORDER BY rest DESC, product) AS rank FROM part
			) INSERT INTO shared SELECT unit, product, (units + CASE WHEN rank <= missing THEN 1 ELSE 0 END) / 100 FROM ranked`
		);
	});
}

/** A long runbook: each step shares what the pools hold once more. */
async function manySteps(): Promise<number> {
	const steps = 60;
	const of = model(28, 10);
	of.announce(Array.from({ length: steps }, (_, at) => ({ id: 101 + at, name: `Share ${at}`, mode: 'adds' as const })));
	const cube = filled(of, 10, 28, 12);
	return medianOf(3, () => runSteps(of, cube, order(Array.from({ length: steps }, (_, at) => stepOf(of, at + 1, 'pool')))));
}

/** Three hundred pools, each of which gives to all of them and to twenty outside, in ten steps of thirty lines. */
async function servingOneAnother(): Promise<number> {
	const [pools, outside, lines] = [300, 20, 30];
	const of = model(1, pools + outside);
	of.announce(Array.from({ length: pools / lines }, (_, at) => ({ id: 101 + at, name: `Share ${at}`, mode: 'adds' as const })));
	const cube = filled(of, pools, 1, 1);
	const unit = of.definition.dimensions.find((each) => each.code === 'unit')!;
	const members = unit.members.filter(({ code }) => code !== 'everywhere');
	const steps = Array.from({ length: pools / lines }, (_, step): Step => {
		const whole = stepOf(of, step + 1, 'pool') as Extract<Step, { kind: 'allocation' }>;
		return {
			...whole,
			together: true,
			contra: 'same account',
			lines: Array.from({ length: lines }, (__, line) => {
				const pool = step * lines + line;
				return {
					name: `Line ${line}`,
					pool: { ...these(of, 'account', 'cost'), ...these(of, 'product', 'pool'), ...these(of, 'unit', `u${pool}`) },
					receivers: these(of, 'unit', 'everywhere'),
					basis: {
						by: 'fixed' as const,
						shares: members.map(({ id }, at) => ({ members: { [unit.id]: id }, share: weightOf(pool * 331 + at) }))
					},
					share: 100
				};
			})
		};
	});
	return medianOf(3, () => runSteps(of, cube, order(steps, { traced: () => {} })));
}
