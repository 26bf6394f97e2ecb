import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { AllocationStep, Step } from '../runbook';
import { buildModel, RunbookWorld } from '../testing';
import { followBack, followForward, type LineTrace } from '.';
import { divide, divideInBunches } from './divide';

const cents = (value: number) => Math.round(value * 100);
const sumOf = (parts: Iterable<number>) => [...parts].reduce((all, each) => all + cents(each), 0);

describe('dividing to the cent', () => {
	const weight = fc.oneof(fc.constant(0), fc.integer({ min: 1, max: 1_000 }), fc.double({ min: 0.001, max: 1e6, noNaN: true }));
	const weights = fc.array(weight, { minLength: 1, maxLength: 40 }).filter((all) => all.some((each) => each > 0));
	const amount = fc.integer({ min: -1e9, max: 1e9 }).map((value) => value / 100);
	test('parts add up to the amount, whoever weighs nothing gets nothing, and nobody is a cent away from what is due', () => {
		fc.assert(
			fc.property(amount, weights, (total, given) => {
				const own = Float64Array.from(given);
				const parts = new Float64Array(own.length);
				expect(divide(total, own, 2, parts)).toBe(0);
				expect(sumOf(parts)).toBe(cents(total));
				const all = given.reduce((sum, each) => sum + each, 0);
				parts.forEach((part, at) => {
					if (given[at] === 0) expect(part).toBeCloseTo(0, 12);
					expect(Math.abs(part - (total * given[at]!) / all)).toBeLessThan(0.01 + 1e-6);
				});
			})
		);
	});
	test('an amount with less than a cent keeps it at the largest part', () => {
		const parts = new Float64Array(3);
		expect(divide(10.005, Float64Array.of(1, 2, 1), 2, parts)).toBeCloseTo(0.005, 9);
		expect([...parts].map((part) => Math.round(part * 1000) / 1000)).toEqual([2.5, 5.005, 2.5]);
		expect(divide(-0.003, Float64Array.of(1, 2), 2, parts.subarray(0, 2))).toBeCloseTo(-0.003, 9);
		expect([...parts.subarray(0, 2)].map((part) => Math.round(part * 1000) / 1000 || 0)).toEqual([0, -0.003]);
	});
	test('in bunches, each bunch gets to the cent what it gets alone', () => {
		fc.assert(
			fc.property(amount, fc.array(fc.tuple(fc.nat(3), weight), { minLength: 1, maxLength: 20 }), (total, given) => {
				fc.pre(given.some(([, each]) => each > 0));
				const known = [...new Set(given.map(([of]) => of))];
				const bunch = Int32Array.from(given, ([of]) => known.indexOf(of));
				const own = Float64Array.from(given, ([, each]) => each);
				const parts = new Float64Array(own.length);
				divideInBunches(total, own, bunch, 2, parts);
				const totals = Float64Array.from(known, (of) => given.reduce((sum, [each, weight]) => sum + (each === of ? weight : 0), 0));
				const alone = new Float64Array(totals.length);
				divide(total, totals, 2, alone);
				known.forEach((_, place) => expect(sumOf([...parts].filter((__, at) => bunch[at] === place))).toBe(cents(alone[place]!)));
			})
		);
	});
});

const model = buildModel({
	accounts: [
		{ code: 'Costs' },
		{ code: 'Dues', parent: 'Costs', account: { kind: 'expense' } },
		{ code: 'Contra', parent: 'Costs', account: { kind: 'expense' } },
		{ code: 'Orders', account: { valueType: 'quantity', decimals: 0 } }
	],
	scenarios: [{ code: 'Plan', span: ['2026-04', '2027-03'] }],
	entities: [
		{ code: 'Skerry', currency: 'NOK' },
		{ code: 'Amber', currency: 'EUR' }
	],
	general: {
		Object: [{ code: 'P1' }, { code: 'P2' }, { code: 'Few' }, ...['A', 'B', 'C', 'D'].map((code) => ({ code, parent: 'Few' }))],
		Channel: [{ code: 'X' }, { code: 'Y' }]
	},
	rates: [{ currency: 'NOK', kind: 'average', from: '2026-01-01', to: '2028-12-31', value: 8 }]
});
const dimension = (code: string) => model.definition.dimensions.find((each) => each.code === code)!;
const id = (of: string, code: string) => dimension(of).members.find((each) => each.code === code)!.id;
const slice = (of: string, codes: readonly string[]) => ({
	[dimension(of).id]: { kind: 'these' as const, members: codes.map((code) => id(of, code)) }
});

const cell = fc.record({
	account: fc.constantFrom('Dues', 'Dues', 'Orders'),
	entity: fc.constantFrom('Skerry', 'Amber'),
	object: fc.constantFrom('P1', 'P2', 'A', 'B', 'C', 'D'),
	channel: fc.constantFrom('X', 'Y'),
	month: fc.constantFrom('2026-04', '2026-05'),
	value: fc.integer({ min: -5_000, max: 5_000 }).map((value) => value / 100)
});
const line = fc.record({
	pool: fc.subarray(['P1', 'P2', 'A'], { minLength: 1 }),
	object: fc.subarray(['A', 'B', 'C', 'D', 'Few'], { minLength: 1 }),
	entity: fc.subarray(['Skerry', 'Amber']),
	by: fc.constantFrom('even', 'driver', 'named', 'apart'),
	share: fc.integer({ min: 1, max: 50 })
});
const some = fc.record({
	cells: fc.array(cell, { minLength: 1, maxLength: 40 }),
	lines: fc.array(line, { minLength: 1, maxLength: 2 }),
	contra: fc.constantFrom('same account', 'none', 'account'),
	noDriver: fc.constantFrom('stranded', 'evenly')
});
type Some = typeof some extends fc.Arbitrary<infer Value> ? Value : never;

const stepOf = ({ lines, contra, noDriver }: Some, turned = false): Step => {
	const order = <Item>(items: readonly Item[]) => (turned ? [...items].reverse() : items);
	const driver = (at: Record<number, number>) => [{ account: id('account', 'Orders'), at }];
	return {
		id: 1,
		name: 'Share',
		description: '',
		active: true,
		limits: {},
		kind: 'allocation',
		lines: lines.map(({ pool, object, entity, by, share }, at) => ({
			name: `Line ${at}`,
			pool: { ...slice('account', ['Dues']), ...slice('Object', order(pool)) },
			receivers: { ...slice('Object', order(object)), ...(entity.length > 0 && slice('entity', order(entity))) },
			basis:
				by === 'even'
					? { by: 'even' }
					: {
							by: 'driver',
							drivers: driver(by === 'apart' ? { [dimension('Channel').id]: id('Channel', 'X') } : {}),
							atNamed: by === 'named'
						},
			share
		})),
		contra: contra === 'account' ? { account: id('account', 'Contra') } : contra,
		noDriver,
		negative: 'absolute',
		currency: null
	} as AllocationStep & Step;
};
const worldOf = ({ cells }: Some): RunbookWorld => {
	const world = new RunbookWorld(model);
	for (const { account, entity, object, channel, month, value } of cells)
		world.write(2, [account, 'Plan', entity, object, channel], month, value);
	return world;
};
/** All amounts of costs, in EUR. */
const total = (world: RunbookWorld, accounts = ['Dues', 'Contra']): number => {
	let sum = 0;
	for (const account of accounts)
		for (const entity of ['Skerry', 'Amber'])
			for (const object of ['P1', 'P2', 'A', 'B', 'C', 'D'])
				for (const channel of ['X', 'Y'])
					for (const month of ['2026-04', '2026-05']) {
						const value = world.read([account, 'Plan', entity, object, channel], month);
						if (!Number.isNaN(value)) sum += value / (entity === 'Skerry' ? 8 : 1);
					}
	return sum;
};

describe('whatever is shared out', () => {
	test('ties: in is out, kept and stranded; the total stands where a contra takes out; twice changes nothing', () => {
		fc.assert(
			fc.property(some, (given) => {
				const world = worldOf(given);
				const before = total(world);
				const { log } = world.run({ id: 1, steps: [stepOf(given)] });
				let out = 0;
				for (const row of log[0]!.proof!.rows) {
					expect(row.in - row.out - row.kept - row.stranded).toBeCloseTo(0, 6);
					out += row.out;
				}
				expect(total(world)).toBeCloseTo(before + (given.contra === 'none' ? out : 0), 6);
				expect(world.run({ id: 1, steps: [stepOf(given)] }).cells).toBe(0);
			}),
			{ numRuns: 300 }
		);
	});
	test('in which order receivers and pools are named changes nothing', () => {
		fc.assert(
			fc.property(some, (given) => {
				const [one, other] = [worldOf(given), worldOf(given)];
				one.run({ id: 1, steps: [stepOf(given)] });
				other.run({ id: 1, steps: [stepOf(given, true)] });
				for (const { account, entity, object, channel, month } of given.cells)
					expect(other.read([account, 'Plan', entity, object, channel], month)).toEqual(
						one.read([account, 'Plan', entity, object, channel], month)
					);
				expect(total(other)).toBeCloseTo(total(one), 9);
			})
		);
	});
	test('is traced back: what came to any part of the model is the sum of its links, to the cent', () => {
		const idsOf = (code: string, named: readonly string[]) => new Map(named.map((each): [number, number] => [id(code, each), 1]));
		fc.assert(
			fc.property(some, fc.subarray(['A', 'B', 'C', 'D'], { minLength: 1 }), fc.constantFrom('X', 'Y'), (given, objects, channel) => {
				const world = worldOf({ ...given, contra: 'none' });
				// Amounts of Skerry are in a currency of their own where nothing crosses.
				const entities = ['Amber'];
				const here = () =>
					objects
						.map((object) => world.read(['Dues', 'Plan', 'Amber', object, channel], '2026-04'))
						.reduce((sum, each) => sum + (each || 0), 0);
				const before = here();
				const traces: LineTrace[] = [];
				world.run({ id: 1, steps: [stepOf({ ...given, contra: 'none' })] }, {}, { traced: (_, trace) => traces.push(trace) });
				const april = model.periods.dimension.member(model.periods.leaf(0).ordinal).id;
				const followed = {
					weights: new Map([
						[1, idsOf('account', ['Dues'])],
						[3, idsOf('scenario', ['Plan'])],
						[4, idsOf('entity', entities)],
						[dimension('Object').id, idsOf('Object', objects)],
						[dimension('Channel').id, idsOf('Channel', [channel])]
					]),
					periods: new Set([april])
				};
				const links = traces.flatMap((trace) => followBack(trace, followed));
				expect(links.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(here() - before, 6);
				// Forward, all that the pools gave is what came to all of the receivers.
				const all = {
					weights: new Map(
						model.dimensions.map(({ id: of, members }) => [of, new Map(members.map((member): [number, number] => [member.id, 1]))])
					),
					periods: new Set([april])
				};
				const sum = (parts: readonly { amount: number }[]) => parts.reduce((total, { amount }) => total + amount, 0);
				expect(sum(traces.flatMap((trace) => followForward(trace, all)))).toBeCloseTo(
					sum(traces.flatMap((trace) => followBack(trace, all))),
					6
				);
				for (const { members } of links) expect(members).toHaveLength(model.dimensions.length);
			}),
			{ numRuns: 200 }
		);
	});
});

describe('what is shared out together', () => {
	const group = fc.tuple(some, some).map(([one, other]) => ({
		cells: one.cells,
		steps: [one, other].map((each) => ({ ...each, contra: each.contra === 'none' ? 'same account' : each.contra }))
	}));
	const stepsOf = ({ steps }: { steps: Some[] }, turned = false): Step[] =>
		steps.map((given, at) => {
			const step = stepOf({ ...given, lines: given.lines.map((each) => ({ ...each, share: each.share / 2 })) }, turned) as AllocationStep &
				Step;
			return { ...step, id: at + 1, name: `Share ${at + 1}`, together: true };
		});
	test('ties pool by pool, keeps the total, and is the same again, the other way round, and for one step alone', () => {
		let rings = 0;
		fc.assert(
			fc.property(group, (given) => {
				const world = worldOf({ ...given.steps[0]!, cells: given.cells });
				const before = total(world);
				const steps = stepsOf(given);
				const { log } = world.run({ id: 1, steps });
				for (const { proof } of log) for (const row of proof!.rows) expect(row.in - row.out - row.kept - row.stranded).toBeCloseTo(0, 6);
				expect(total(world)).toBeCloseTo(before, 6);
				expect(world.run({ id: 1, steps }).cells).toBe(0);
				expect(world.run({ id: 1, steps }, {}, { only: 2 }).cells).toBe(0);
				// In = what was there and what came from one another; what came is what was passed through.
				const rows = log.flatMap(({ proof }) => proof!.rows);
				const sum = (of: 'in' | 'out' | 'passed') => rows.reduce((all, row) => all + (row[of] ?? 0), 0);
				rings += sum('passed') > 0 ? 1 : 0;
				const other = worldOf({ ...given.steps[0]!, cells: given.cells });
				other.run({ id: 1, steps: stepsOf(given, true).reverse() });
				expect(total(other)).toBeCloseTo(total(world), 6);
				for (const object of ['A', 'B', 'C', 'D', 'P1', 'P2'])
					// Cents may fall otherwise where lines stand in another order, two for each.
					expect(
						Math.abs(
							(other.read(['Dues', 'Plan', 'Amber', object, 'X'], '2026-04') || 0) -
								(world.read(['Dues', 'Plan', 'Amber', object, 'X'], '2026-04') || 0)
						)
					).toBeLessThan(0.1);
			}),
			{ numRuns: 300 }
		);
		// Else it proves nothing of rings.
		expect(rings).toBeGreaterThan(30);
	});
	test('is traced back to first pools: what came to any part is the sum of its links, but for what stays in pools', () => {
		fc.assert(
			fc.property(group, fc.subarray(['B', 'C', 'D'], { minLength: 1 }), (given, objects) => {
				const world = worldOf({ ...given.steps[0]!, cells: given.cells });
				const here = () => objects.reduce((sum, object) => sum + (world.read(['Dues', 'Plan', 'Amber', object, 'X'], '2026-04') || 0), 0);
				const before = here();
				const traces: LineTrace[] = [];
				world.run({ id: 1, steps: stepsOf(given) }, {}, { traced: (_, trace) => traces.push(trace) });
				const idsOf = (code: string, named: readonly string[]) => new Map(named.map((each): [number, number] => [id(code, each), 1]));
				const followed = {
					weights: new Map([
						[dimension('account').id, idsOf('account', ['Dues'])],
						[dimension('entity').id, idsOf('entity', ['Amber'])],
						[dimension('Object').id, idsOf('Object', objects)],
						[dimension('Channel').id, idsOf('Channel', ['X'])]
					]),
					periods: new Set([model.periods.dimension.member(model.periods.leaf(0).ordinal).id])
				};
				const links = traces.flatMap((trace) => followBack(trace, followed));
				expect(links.reduce((sum, { amount }) => sum + amount, 0)).toBeCloseTo(here() - before, 4);
			}),
			{ numRuns: 200 }
		);
	});
});
