import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Cube } from '../cube';
import { QueryFault, Reader } from '../cube';
import { Model } from '../model';
import { buildModel, fillCube } from '../testing';
import { lookCloser, takeApart, type Side } from '.';

/** So many crowns a euro. */
const rate = (value: number) => ({ currency: 'NOK', kind: 'average' as const, from: '2026-01-01', to: '2030-12-31', value });
const sketch = {
	accounts: [
		{ code: 'result' },
		{ code: 'sales', parent: 'result', account: {} },
		{ code: 'cost', parent: 'result', weight: -1, account: { kind: 'expense' as const } },
		{ code: 'sailings', account: { valueType: 'quantity' as const, kind: 'statistic' as const } },
		{
			code: 'margin',
			account: { valueType: 'percent' as const, consolidation: 'formula' as const },
			formula: (account: (code: string) => never) => ({
				kind: 'binary' as const,
				operator: '/' as const,
				left: account('result'),
				right: account('sales')
			})
		}
	],
	// The plan is read at the first rates, the outlook at the others.
	scenarios: [{ code: 'plan' }, { code: 'outlook', laterRates: '2026-04' }],
	entities: [{ code: 'group' }, { code: 'a', parent: 'group', currency: 'EUR' }, { code: 'b', parent: 'group', currency: 'NOK' }]
};
const model = buildModel({ ...sketch, rates: [rate(10)], otherRates: [rate(5)] } as never);

const ordinals = (of: typeof model, codes: readonly string[]) =>
	of.dimensions.map((dimension) => codes.map((code) => dimension.ordinalOfCode(code)).find((ordinal) => ordinal !== undefined)!);
/** The same model with other nodes in a dimension, a member in it replaced by another one of the same place. */
function changed(
	of: typeof model,
	nodes: (
		nodes: { member: number; parent: number | null; weight: number }[]
	) => { member: number; parent: number | null; weight: number }[],
	code: string,
	replaced?: { gone: string; by: string }
): typeof model {
	const { definition } = of;
	const dimensions = definition.dimensions.map((dimension) => {
		if (dimension.code !== code) return dimension;
		const gone = dimension.members.find((member) => member.code === replaced?.gone)?.id;
		const id = (member: number) => (member === gone ? 9_999 : member);
		return {
			...dimension,
			members: dimension.members.map((member) =>
				member.id === gone ? { ...member, id: 9_999, code: replaced!.by, name: replaced!.by } : member
			),
			nodes: nodes(dimension.nodes.map((node) => ({ ...node, member: id(node.member) })))
		};
	});
	const entities = definition.entities.map((entity) => {
		const known = dimensions.some(({ members }) => members.some((member) => member.id === entity.member));
		return known ? entity : { ...entity, member: 9_999 };
	});
	return new Model({ ...definition, dimensions, entities });
}
/** Cells by their codes and month. */
const cubeOf = (of: typeof model, cells: [codes: string[], value: number, month?: number][]): Cube =>
	fillCube(
		of,
		cells.map(([codes, value, month = 0]) => ({ origin: 1, address: ordinals(of, codes), period: month, value }))
	);
/** sales a 100, b 1,000 NOK, cost a 30 become sales a 110, b 1,200 NOK, cost a 50. */
const CELLS: [string[], number][] = [
	[['sales', 'plan', 'a'], 100],
	[['sales', 'plan', 'b'], 1_000],
	[['cost', 'plan', 'a'], 30],
	[['sales', 'outlook', 'a'], 110],
	[['sales', 'outlook', 'b'], 1_200],
	[['cost', 'outlook', 'a'], 50]
];
const side = (cube: Cube, account: string, scenario: string, { entity = 'group', period = 'FY2027', currency = 'EUR' } = {}): Side => ({
	reader: new Reader(cube),
	currency,
	figure: {
		members: Int32Array.from(ordinals(cube.model, [account, scenario, entity])),
		period: cube.model.periods.dimension.ordinalOfCode(period)!
	}
});
const apart = (cube: Cube, sides: [Side, Side], dimension: string) => {
	const all = [...cube.model.dimensions, cube.model.periods.dimension];
	const found = takeApart(sides, { dimension: all.find(({ code }) => code === dimension)!.id, most: 20 });
	return { ...found, parts: Object.fromEntries(found.lines.map(({ name, part }) => [name, Math.round(part * 1e6) / 1e6])) };
};

describe('a difference taken apart', () => {
	test('by account: costs count against the result, and rates stand by themselves', () => {
		const cube = cubeOf(model, CELLS);
		const found = apart(cube, [side(cube, 'result', 'plan'), side(cube, 'result', 'outlook')], 'account');
		// 100 + 100 − 30 = 170; 110 + 240 − 50 = 300, and at the plan's rates 110 + 120 − 50 = 180.
		expect([found.before, found.after]).toEqual([170, 300]);
		expect(found.exchange).toBeCloseTo(120, 9);
		expect(found.parts).toEqual({ sales: 30, cost: -20 });
		expect(found.addsUp).toBe(true);
	});

	test('by entity: the same whole, the same rates', () => {
		const cube = cubeOf(model, CELLS);
		const found = apart(cube, [side(cube, 'result', 'plan'), side(cube, 'result', 'outlook')], 'entity');
		expect(found.parts).toEqual({ b: 20, a: -10 });
		expect(found.exchange).toBeCloseTo(120, 9);
		expect(found.addsUp).toBe(true);
	});

	test('where rates are missing none are told apart: what they leave out is no exchange', () => {
		const bare = buildModel({ ...sketch, rates: [rate(10)], otherRates: [] } as never);
		const cube = cubeOf(bare, CELLS);
		const found = apart(cube, [side(cube, 'result', 'outlook'), side(cube, 'result', 'plan')], 'account');
		// The outlook without b: 110 − 50 = 60; the plan 170.
		expect([found.before, found.after, found.exchange]).toEqual([60, 170, 0]);
		expect(found.addsUp).toBe(true);
	});

	test('in local currency: of one entity without rates, of several not at all', () => {
		const cube = cubeOf(model, CELLS);
		const of = (entity: string): [Side, Side] => [
			side(cube, 'sales', 'plan', { entity, currency: 'local' }),
			side(cube, 'sales', 'outlook', { entity, currency: 'local' })
		];
		expect(apart(cube, of('b'), 'period')).toMatchObject({ before: 1_000, after: 1_200, exchange: 0 });
		expect(() => apart(cube, of('group'), 'entity')).toThrow(QueryFault);
	});

	test('a ratio is not the sum of what lies beneath it, and says so', () => {
		const cube = cubeOf(model, CELLS);
		const found = apart(cube, [side(cube, 'margin', 'plan', { entity: 'group' }), side(cube, 'margin', 'outlook')], 'entity');
		expect(found.before).toBeCloseTo(170 / 200, 9);
		expect(found.addsUp).toBe(false);
	});

	test('two years go month by month with each other', () => {
		const cube = cubeOf(model, [
			[['sales', 'plan', 'a'], 10, 0],
			[['sales', 'plan', 'a'], 20, 1],
			[['sales', 'plan', 'a'], 15, 12],
			[['sales', 'plan', 'a'], 50, 14]
		]);
		const found = apart(cube, [side(cube, 'sales', 'plan'), side(cube, 'sales', 'plan', { period: 'FY2028' })], 'period');
		// First quarter 30 to 65: named by the later year.
		expect(found.lines.map(({ before, after, part }) => [before, after, part])).toEqual([[30, 65, 35]]);
		expect(found.exchange).toBe(0);
	});

	test('two years are held against each other at the rates of the earlier', () => {
		const until = (to: string, value: number, from = '2026-01-01') => ({ ...rate(value), from, to });
		// 10 crowns a euro until March 2027, 5 after; closing rates the same.
		const moving = buildModel({
			...sketch,
			accounts: [...sketch.accounts, { code: 'cash', account: { timeBehaviour: 'closing', kind: 'asset' } }],
			rates: [until('2027-03-31', 10), until('2030-12-31', 5, '2027-04-01')].flatMap((each) => [each, { ...each, kind: 'closing' }])
		} as never);
		const cube = cubeOf(moving, [
			[['sales', 'plan', 'a'], 100, 0],
			[['sales', 'plan', 'b'], 1_000, 0],
			[['sales', 'plan', 'a'], 90, 12],
			[['sales', 'plan', 'b'], 1_200, 12],
			[['cash', 'plan', 'b'], 500, 11],
			[['cash', 'plan', 'b'], 400, 23]
		]);
		const years = (account: string): [Side, Side] => [side(cube, account, 'plan'), side(cube, account, 'plan', { period: 'FY2028' })];
		// 100 + 100 = 200 becomes 90 + 240 = 330; at last year's rates 90 + 120 = 210.
		const found = apart(cube, years('sales'), 'entity');
		expect(found).toMatchObject({ before: 200, after: 330, exchange: 120, parts: { b: 20, a: -10 }, addsUp: true });
		expect(apart(cube, years('sales'), 'period')).toMatchObject({ exchange: 120, addsUp: true });
		// 50 becomes 80; at last year's 40.
		expect(apart(cube, years('cash'), 'entity')).toMatchObject({ before: 50, after: 80, exchange: 40, parts: { b: -10 }, addsUp: true });
	});

	test('rates that change within the period are told apart month by month', () => {
		// The outlook is read at 10 until March 2027, at 5 later: FY2027 ends then, FY2028 is read at 5 as a whole.
		const cube = cubeOf(
			buildModel({
				...sketch,
				scenarios: [{ code: 'plan' }, { code: 'outlook', laterRates: '2026-06' }],
				rates: [rate(10)],
				otherRates: [rate(5)]
			} as never),
			[
				[['sales', 'plan', 'b'], 100, 0],
				[['sales', 'plan', 'b'], 100, 2],
				[['sales', 'outlook', 'b'], 100, 0],
				[['sales', 'outlook', 'b'], 200, 2]
			]
		);
		// 10 + 10 becomes 10 + 40; at the plan's rates 10 + 20.
		const found = apart(cube, [side(cube, 'sales', 'plan'), side(cube, 'sales', 'outlook')], 'entity');
		expect(found).toMatchObject({ before: 20, after: 50, exchange: 20, parts: { b: 10 }, addsUp: true });
	});

	describe('from a model as it stood', () => {
		const now = buildModel({ ...sketch, rates: [rate(5)] } as never);
		const CELLS_THEN: typeof CELLS = [
			[['sales', 'plan', 'a'], 100],
			[['sales', 'plan', 'b'], 1_000],
			[['cost', 'plan', 'a'], 30]
		];

		test('its rates are those of then', () => {
			const before = cubeOf(buildModel({ ...sketch, rates: [rate(10)] } as never), CELLS_THEN);
			const after = cubeOf(now, [...CELLS_THEN.slice(0, 2), [['cost', 'plan', 'a'], 50]]);
			// 100 + 100 − 30 = 170; 100 + 200 − 50 = 250, and at the rates of then 150.
			const found = apart(after, [side(before, 'result', 'plan'), side(after, 'result', 'plan')], 'account');
			expect(found).toMatchObject({ before: 170, after: 250, exchange: 100, parts: { cost: -20 }, addsUp: true });
		});

		test('what is gone and what is new are lines of their own', () => {
			const then = changed(now, (nodes) => nodes, 'entity', { gone: 'b', by: 'c' });
			const before = cubeOf(then, [
				[['sales', 'plan', 'a'], 100],
				[['sales', 'plan', 'c'], 200]
			]);
			const after = cubeOf(now, [
				[['sales', 'plan', 'a'], 110],
				[['sales', 'plan', 'b'], 50]
			]);
			const found = apart(after, [side(before, 'sales', 'plan'), side(after, 'sales', 'plan')], 'entity');
			expect(found).toMatchObject({ before: 140, after: 120, parts: { a: 10, b: 10, c: -40 }, addsUp: true });
			expect(found.lines.find(({ name }) => name === 'c')).toMatchObject({ before: 40, after: null, isParent: false });
		});

		test('a weight of then counts then', () => {
			const then = changed(now, (nodes) => nodes.map((node) => ({ ...node, weight: 1 })), 'account');
			const [before, after] = [then, now].map((of) => cubeOf(of, CELLS_THEN));
			// 100 + 200 + 30 = 330 becomes 100 + 200 − 30 = 270.
			const found = apart(after!, [side(before!, 'result', 'plan'), side(after!, 'result', 'plan')], 'account');
			expect(found).toMatchObject({ before: 330, after: 270, exchange: 0, parts: { cost: -60 }, addsUp: true });
		});
	});

	test('closer is beneath, nothing else', () => {
		const cube = cubeOf(model, CELLS);
		const { figure } = side(cube, 'result', 'plan');
		const account = (code: string) => model.accounts.member(model.accounts.ordinalOfCode(code)!).id;
		lookCloser(model, figure, model.accounts.id, account('cost'));
		expect(model.accounts.member(figure.members[model.accountAxis]!).code).toBe('cost');
		expect(() => lookCloser(model, figure, model.accounts.id, account('sales'))).toThrow(QueryFault);
	});

	test('whatever stands there, the parts and the rates are the whole, by each dimension', () => {
		const amount = fc.integer({ min: -1_000, max: 1_000 });
		const cells = fc.array(
			fc.tuple(
				fc.constantFrom('sales', 'cost'),
				fc.constantFrom('plan', 'outlook'),
				fc.constantFrom('a', 'b'),
				fc.integer({ min: 0, max: 11 }),
				amount
			),
			{ minLength: 1, maxLength: 20 }
		);
		let compared = 0;
		fc.assert(
			fc.property(cells, (all) => {
				const cube = cubeOf(
					model,
					all.map(([account, scenario, entity, month, value]) => [[account, scenario, entity], value, month])
				);
				for (const dimension of ['account', 'entity', 'period']) {
					const { lines, more, exchange, before, after, addsUp } = apart(
						cube,
						[side(cube, 'result', 'plan'), side(cube, 'result', 'outlook')],
						dimension
					);
					const told = lines.reduce((sum, { part }) => sum + part, more.part + exchange);
					expect(told).toBeCloseTo((after ?? 0) - (before ?? 0), 6);
					expect(addsUp).toBe(true);
					compared += lines.length;
				}
			})
		);
		expect(compared).toBeGreaterThan(200);
	});
});
