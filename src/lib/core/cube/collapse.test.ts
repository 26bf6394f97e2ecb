import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { isEmpty } from '../number';
import { buildModel, fillCube, randomModel } from '../testing';
import { addsUp, standing, type Contribution } from './standing';
import { collapse, Cube, LeafReader, NOTHING, Reader } from '.';

/** Worked by hand. Origins: 1 entry, 2 load, 4 addition, 5 result; sales add up, the price is weighed by litres. */
const model = buildModel({
	accounts: [
		{ code: 'sales', account: {} },
		{ code: 'litres', account: { valueType: 'quantity' } },
		{ code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' }, weigher: 'litres' },
		{ code: 'mood', account: { valueType: 'choice', timeBehaviour: 'none', consolidation: 'none' } }
	],
	scenarios: [{ code: 'plan' }],
	general: {
		route: [{ code: 'all' }, { code: 'r1', parent: 'all' }, { code: 'r2', parent: 'all' }, { code: 'back', parent: 'all', weight: -1 }]
	}
});
const [SALES, LITRES, PRICE, MOOD] = [0, 1, 2, 3];
const [R1, R2, BACK] = [1, 2, 3];
type Cell = [account: number, route: number, origin: number, value: number, stamp: number];

/** What is held of an account in the first month after routes are taken out, what shows, and the counts. */
function taken(account: number, ...cells: Cell[]) {
	const cube = new Cube(model);
	for (const [of, route, origin, value, stamp] of cells) cube.writeCell(origin, [of, 0, route], 2027, 0, value, stamp);
	const { series, ...counts } = collapse(new Reader(cube), 2);
	const held: Contribution[] = series
		.filter(({ address }) => address[0] === account)
		.map(({ origin, amounts, stamps }) => ({ origin, value: amounts[0]!, stamp: stamps[0]! }));
	return { held: held.sort((one, other) => one.origin - other.origin), shows: standing(model, account, held), ...counts };
}

describe('a dimension taken out', () => {
	test('loads 100 and 50, and 30 that is subtracted: a load of 120, as new as the newest', () => {
		const { held, shows, cells } = taken(SALES, [SALES, R1, 2, 100, 3], [SALES, R2, 2, 50, 7], [SALES, BACK, 2, 30, 5]);
		expect(held).toEqual([{ origin: 2, value: 120, stamp: 7 }]);
		expect([shows, cells]).toEqual([120, 1]);
	});
	test('an entry of 120 over a load of 100 beside a load of 50: 170 is an entry, the load that stood is kept beneath', () => {
		const { held, shows, becameEntries } = taken(SALES, [SALES, R1, 1, 120, 4], [SALES, R1, 2, 100, 3], [SALES, R2, 2, 50, 3]);
		expect([shows, becameEntries]).toEqual([170, 1]);
		expect(held).toEqual([
			{ origin: 1, value: 170, stamp: 4 },
			{ origin: 2, value: 50, stamp: 3 }
		]);
	});
	test('entries everywhere over loads everywhere: both add up, and the loads show again when the entry goes', () => {
		const { held, shows, becameEntries } = taken(
			SALES,
			[SALES, R1, 1, 120, 4],
			[SALES, R1, 2, 100, 3],
			[SALES, R2, 1, 60, 4],
			[SALES, R2, 2, 50, 3]
		);
		expect([shows, becameEntries]).toEqual([180, 0]);
		expect(held.map(({ value }) => value)).toEqual([180, 150]);
	});
	test('a newer result of 9 over a load of 100 beside a load of 50: 59; an addition of 5 stays one', () => {
		expect(taken(SALES, [SALES, R1, 5, 9, 8], [SALES, R1, 2, 100, 3], [SALES, R2, 2, 50, 3]).shows).toBe(59);
		const { held, shows, becameEntries } = taken(SALES, [SALES, R1, 4, 5, 8], [SALES, R2, 2, 100, 3]);
		expect([shows, becameEntries, held.length]).toEqual([105, 0, 2]);
	});
	test('a result that says nothing over a load of 100 beside one of 7: 7, and the load stays set aside', () => {
		const { held, shows } = taken(SALES, [SALES, R1, 5, NOTHING, 8], [SALES, R1, 2, 100, 3], [SALES, R2, 5, 7, 8]);
		expect(shows).toBe(7);
		expect(held.map(({ origin }) => origin)).toEqual([2, 5]);
	});
	test('prices of 2 for 10 litres and 3 for 30: 2.75; without litres there is none; equal prices stay whatever the litres', () => {
		expect(taken(PRICE, [PRICE, R1, 1, 2, 1], [PRICE, R2, 1, 3, 1], [LITRES, R1, 1, 10, 1], [LITRES, R2, 1, 30, 1])).toMatchObject({
			shows: 2.75,
			weighed: 1,
			emptied: 0
		});
		expect(taken(PRICE, [PRICE, R1, 1, 2, 1], [PRICE, R2, 1, 3, 1])).toMatchObject({ held: [], emptied: 1 });
		expect(taken(PRICE, [PRICE, R1, 1, 2, 1], [PRICE, R2, 2, 2, 9])).toMatchObject({ shows: 2, weighed: 0, held: [{ origin: 1 }] });
	});
	test('25 typed above a result of 20 beside a result of 10: 35 is an entry above the result of all; where nothing is typed nothing is stored', () => {
		const fuelled = buildModel({
			accounts: [
				{ code: 'litres', account: { valueType: 'quantity' } },
				{ code: 'price', account: { valueType: 'quantity' } },
				{
					code: 'fuel',
					account: {},
					perLeaf: { mayBeTyped: true },
					formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price') })
				}
			],
			scenarios: [{ code: 'plan' }],
			general: { route: [{ code: 'all' }, { code: 'r1', parent: 'all' }, { code: 'r2', parent: 'all' }] }
		});
		const cube = new Cube(fuelled);
		for (const position of [0, 1]) {
			cube.writeCell(2, [0, 0, R1], 2027, position, 10);
			cube.writeCell(2, [0, 0, R2], 2027, position, 5);
			for (const route of [R1, R2]) cube.writeCell(2, [1, 0, route], 2027, position, 2);
		}
		cube.writeCell(1, [2, 0, R1], 2027, 0, 25, 4);
		const { series, becameEntries } = collapse(new Reader(cube), 2);
		const fuel = series.filter(({ address }) => address[0] === 2);
		expect(fuel.map(({ origin, amounts }) => [origin, amounts[0], amounts[1]])).toEqual([[1, 35, Number.NaN]]);
		expect(becameEntries).toBe(1);
	});
	test('choices that agree stay, others are empty', () => {
		expect(taken(MOOD, [MOOD, R1, 1, 5, 1], [MOOD, R2, 1, 5, 2])).toMatchObject({ shows: 5, emptied: 0 });
		expect(taken(MOOD, [MOOD, R1, 1, 5, 1], [MOOD, R2, 1, 6, 2])).toMatchObject({ held: [], emptied: 1 });
	});

	test('every cell that adds up shows what its members came to together, whatever they hold', () => {
		fc.assert(
			fc.property(randomModel, ({ model: random, cells }) => {
				const axis = random.dimensions.findIndex(
					(each) => each !== random.accounts && each !== random.scenarios && each.kind === 'general'
				);
				fc.pre(axis >= 0);
				const cube = fillCube(random, cells);
				const dimension = random.dimensions[axis]!;
				const weights = new Map<number, number>();
				for (const root of dimension.tree.roots()) dimension.tree.eachWeightedLeaf(root, (leaf, weight) => weights.set(leaf, weight));
				const leaves = new LeafReader(random, new Reader(cube).read);
				const wanted = new Map<string, number>();
				for (const { address, period } of cells) {
					const [account, scenario] = [address[random.accountAxis]!, address[random.scenarioAxis]!];
					if (!addsUp(random, account)) continue;
					const { fiscalYear, position } = random.periods.leaf(period);
					// Where a figure stands above a result, those of the other members are part of what shows; elsewhere what is stored is.
					const isAbove = random.live.at(account, scenario, period)?.mayBeTyped === true;
					let total = Number.NaN;
					for (const [leaf, weight] of weights) {
						const at = Int32Array.from(address.with(axis, leaf));
						const value = isAbove ? leaves.value(at, fiscalYear, position) : cube.read(at, fiscalYear, position);
						if (weight !== 0 && !isEmpty(value)) total = (isEmpty(total) ? 0 : total) + value * weight;
					}
					const isStored = [...weights].some(
						([leaf, weight]) => weight !== 0 && cube.contributions(address.with(axis, leaf), fiscalYear, position).length > 0
					);
					const key = `${address.filter((_, each) => each !== axis).join()} ${fiscalYear} ${position}`;
					if (isStored && !isEmpty(total)) wanted.set(key, total);
				}
				const held = new Map<string, { account: number; contributions: Contribution[] }>();
				const accountAxis = random.accountAxis > axis ? random.accountAxis - 1 : random.accountAxis;
				for (const { origin, address, year, amounts, stamps } of collapse(new Reader(cube), axis).series)
					amounts.forEach((value, position) => {
						const account = address[accountAxis]!;
						if (isEmpty(value) || !addsUp(random, account)) return;
						const key = `${address.join()} ${year} ${position}`;
						const known = held.get(key) ?? { account, contributions: [] };
						known.contributions.push({ origin, value, stamp: stamps[position]! });
						held.set(key, known);
					});
				for (const key of new Set([...wanted.keys(), ...held.keys()])) {
					const found = held.get(key);
					const shows = found ? standing(random, found.account, found.contributions) : Number.NaN;
					if (wanted.has(key)) expect(shows, key).toBeCloseTo(wanted.get(key)!, 6);
					else expect(shows, key).toBeNaN();
				}
			}),
			{ numRuns: 200 }
		);
	});
});
