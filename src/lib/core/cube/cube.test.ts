import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ReadGuard } from '../access';
import { buildModel, fillCube, naiveCell, randomModel, type MemberSketch, type StoredCell } from '../testing';
import type { Model } from '../model';
import { CellFlag, CLEARED, compileQuery, Cube, leafCells, type Line, NOTHING, Overlay, type Query, QueryFault, Reader, View } from '.';

/** Every account down the rows, every period across, one choice of the other dimensions. */
function gridQuery(model: Model, others: readonly number[], currency: string): Query {
	const slice: Record<number, number> = {};
	model.dimensions.forEach((dimension, axis) => {
		if (axis !== model.accountAxis) slice[dimension.id] = dimension.member(others[axis]!).id;
	});
	const line = (dimension: number, member: number): Line => ({ [dimension]: member });
	return {
		slice,
		rows: model.accounts.members.map(({ id }) => line(model.accounts.id, id)),
		columns: model.periods.dimension.members.map(({ id }) => line(model.periods.dimension.id, id)),
		currency
	};
}

function expectAgreement(model: Model, view: View, cells: readonly StoredCell[], others: readonly number[], currency: string): void {
	const { values, flags } = view.evaluate();
	const columns = model.periods.dimension.members.length;
	for (let account = 0; account < model.accounts.members.length; account++)
		for (let period = 0; period < columns; period++) {
			const wanted = naiveCell(model, cells, others.with(model.accountAxis, account) as number[], period, currency);
			const at = account * columns + period;
			const where = `${model.accounts.member(account).code} at ${model.periods.dimension.member(period).code} in ${currency}`;
			if (wanted.value === undefined) expect(values[at], where).toBeNaN();
			else expect(values[at], where).toBeCloseTo(wanted.value, 6);
			expect(Boolean(flags[at]! & CellFlag.mixedCurrency), `mixed ${where}`).toBe(wanted.mixed);
			expect(Boolean(flags[at]! & CellFlag.incomplete), `incomplete ${where}`).toBe(wanted.incomplete);
		}
}

const choiceOf = (model: Model, seed: number) =>
	model.dimensions.map((dimension, axis) => Math.floor(seed / 7 ** axis) % dimension.members.length);

describe('a view over the cube', () => {
	test('agrees with the naive evaluator on random models, in every currency', () => {
		fc.assert(
			fc.property(randomModel, fc.nat(100_000), fc.constantFrom('EUR', 'GBP', 'local'), ({ model, cells }, seed, currency) => {
				const others = choiceOf(model, seed);
				const view = new View(compileQuery(model, gridQuery(model, others, currency)));
				view.fill(new Reader(fillCube(model, cells)));
				expectAgreement(model, view, cells, others, currency);
			}),
			{ numRuns: 250 }
		);
	});

	test('stays right while cells change, without being filled again', () => {
		fc.assert(
			fc.property(randomModel, fc.nat(100_000), ({ model, cells }, seed) => {
				const others = choiceOf(model, seed);
				const half = cells.slice(0, cells.length / 2);
				const cube = fillCube(model, half);
				const view = new View(compileQuery(model, gridQuery(model, others, 'EUR')));
				view.fill(new Reader(cube));
				for (const { origin, address, period, value, stamp } of cells.slice(half.length)) {
					// What was worked out before must not stand where it is no longer right.
					view.evaluate();
					const { fiscalYear, position } = model.periods.leaf(period);
					const before = cube.read(address, fiscalYear, position);
					cube.writeCell(origin, address, fiscalYear, position, value, stamp);
					view.change({ address, year: fiscalYear, position, before, after: cube.read(address, fiscalYear, position) });
				}
				expectAgreement(model, view, cells, others, 'EUR');
			}),
			{ numRuns: 120 }
		);
	});

	test('reads through an overlay as if its values were entries', () => {
		fc.assert(
			fc.property(randomModel, fc.nat(100_000), ({ model, cells }, seed) => {
				const others = choiceOf(model, seed);
				const plain = cells.filter(({ origin }) => origin === 2);
				const typed = cells.filter(({ origin }) => origin === 1);
				const overlay = new Overlay(model);
				for (const { address, period, value } of typed) {
					const { fiscalYear, position } = model.periods.leaf(period);
					overlay.set(address, fiscalYear, position, value);
				}
				const view = new View(compileQuery(model, gridQuery(model, others, 'EUR')));
				view.fill(new Reader(fillCube(model, plain), [overlay]));
				expectAgreement(model, view, [...plain, ...typed], others, 'EUR');
			}),
			{ numRuns: 120 }
		);
	});

	test('shows a reader the sum of what they may read and nothing of the rest, also while it changes', () => {
		fc.assert(
			fc.property(
				randomModel,
				fc.nat(100_000),
				fc.array(fc.tuple(fc.nat(), fc.nat(), fc.constantFrom('read' as const, 'write' as const, 'none' as const)), { maxLength: 4 }),
				({ model, cells }, seed, picks) => {
					const [entity, route] = [model.dimensions[2]!, model.dimensions[3]!];
					const grants = picks.map(([first, second, level]) => ({
						name: 'g',
						level,
						slice: {
							[entity.id]: [entity.member(first % entity.members.length).id],
							[route.id]: [route.member(second % route.members.length).id]
						}
					}));
					const visible = ReadGuard.of(model, grants, [entity.id, route.id])!;
					// The obvious way: a cell is read when some grant covers it on both dimensions and no “none” does.
					const covers = ({ slice }: (typeof grants)[number], { address }: StoredCell) =>
						entity.tree.isUnder(address[2]!, entity.ordinal(slice[entity.id]![0]!)!) &&
						route.tree.isUnder(address[3]!, route.ordinal(slice[route.id]![0]!)!);
					const readable = cells.filter(
						(cell) =>
							grants.some((grant) => grant.level !== 'none' && covers(grant, cell)) &&
							!grants.some((grant) => grant.level === 'none' && covers(grant, cell))
					);
					const others = choiceOf(model, seed);
					const half = cells.slice(0, cells.length / 2);
					const cube = fillCube(model, half);
					const view = new View(compileQuery(model, gridQuery(model, others, 'EUR')));
					view.fill(new Reader(cube, [], visible));
					view.evaluate();
					for (const { origin, address, period, value, stamp } of cells.slice(half.length)) {
						const { fiscalYear, position } = model.periods.leaf(period);
						const before = cube.read(address, fiscalYear, position);
						cube.writeCell(origin, address, fiscalYear, position, value, stamp);
						view.change({ address, year: fiscalYear, position, before, after: cube.read(address, fiscalYear, position) });
					}
					expectAgreement(model, view, readable, others, 'EUR');
				}
			),
			{ numRuns: 100 }
		);
	});

	test('takes values away again: what was removed leaves no trace in the totals', () => {
		fc.assert(
			fc.property(randomModel, ({ model, cells }) => {
				const cube = fillCube(model, cells);
				const before = cube.cells;
				for (const { origin, address, period } of cells) {
					const { fiscalYear, position } = model.periods.leaf(period);
					cube.writeCell(origin, address, fiscalYear, position, Number.NaN);
				}
				// A result of nothing alone at its cell shows nothing.
				expect(before).toBeLessThanOrEqual(new Set(cells.map(({ address, period }) => `${address.join()} ${period}`)).size);
				if (cells.every(({ value }) => value !== NOTHING))
					expect(before).toBe(new Set(cells.map(({ address, period }) => `${address.join()} ${period}`)).size);
				expect(cube.cells).toBe(0);
				const view = new View(compileQuery(model, gridQuery(model, choiceOf(model, 3), 'EUR')));
				view.fill(new Reader(cube));
				expect([...view.evaluate().values].every(Number.isNaN)).toBe(true);
			}),
			{ numRuns: 50 }
		);
	});
});

const small = () =>
	buildModel({
		accounts: [
			{ code: 'result' },
			{ code: 'sales', parent: 'result', account: {} },
			{ code: 'cost', parent: 'result', weight: -1, account: { kind: 'expense' } },
			{ code: 'price', account: { valueType: 'price', consolidation: 'none', timeBehaviour: 'none' } },
			{
				code: 'margin',
				account: { valueType: 'percent', consolidation: 'formula', timeBehaviour: 'none' },
				formula: (account) => ({ kind: 'binary', operator: '/', left: account('result'), right: account('sales') })
			}
		],
		scenarios: [{ code: 'plan', entry: ['2026-04', '2027-03'] }]
	});

const read = (model: Model, cube: Cube, account: string, period: string): number => {
	const query = {
		slice: { 3: model.scenarios.member(0).id },
		rows: [{ 1: model.accounts.member(model.accounts.ordinalOfCode(account)!).id }],
		columns: [{ 2: model.periods.dimension.member(model.periods.dimension.ordinalOfCode(period)!).id }],
		currency: 'EUR'
	};
	const view = new View(compileQuery(model, query));
	view.fill(new Reader(cube));
	return view.evaluate().values[0]!;
};

describe('worked figures', () => {
	test('a margin is the ratio of the totals, not the total of the ratios', () => {
		const model = small();
		const cube = new Cube(model);
		cube.writeSeries(2, [1, 0], 2027, [100, 300]);
		cube.writeSeries(2, [2, 0], 2027, [50, 270]);
		expect(read(model, cube, 'margin', '2026-04')).toBeCloseTo(0.5);
		expect(read(model, cube, 'margin', '2026-05')).toBeCloseTo(0.1);
		expect(read(model, cube, 'margin', 'FY2027')).toBeCloseTo(80 / 400);
		expect(read(model, cube, 'margin', '2026-06')).toBeNaN();
	});

	test('an entry sets proposals aside, additions stay on top, and taking it away brings the proposals back', () => {
		const model = small();
		const cube = new Cube(model);
		cube.writeCell(2, [1, 0], 2027, 0, 100);
		cube.writeCell(3, [1, 0], 2027, 0, 20);
		expect(read(model, cube, 'sales', '2026-04')).toBe(120);
		cube.writeCell(4, [1, 0], 2027, 0, 7);
		cube.writeCell(1, [1, 0], 2027, 0, 90);
		expect(read(model, cube, 'sales', '2026-04')).toBe(97);
		expect(cube.contributions([1, 0], 2027, 0).map(({ origin, value }) => [origin, value])).toEqual([
			[2, 100],
			[3, 20],
			[4, 7],
			[1, 90]
		]);
		cube.writeCell(1, [1, 0], 2027, 0, Number.NaN);
		expect(read(model, cube, 'sales', '2026-04')).toBe(127);
	});

	test('a cleared cell of a draft shows what the entry had set aside', () => {
		const model = small();
		const cube = new Cube(model);
		cube.writeCell(2, [1, 0], 2027, 0, 100);
		cube.writeCell(1, [1, 0], 2027, 0, 90);
		const overlay = new Overlay(model);
		overlay.set([1, 0], 2027, 0, CLEARED);
		expect(new Reader(cube, [overlay]).read([1, 0], 2027, 0)).toBe(100);
		expect(overlay.size).toBe(1);
		overlay.set([1, 0], 2027, 0, Number.NaN);
		expect(new Reader(cube, [overlay]).read([1, 0], 2027, 0)).toBe(90);
		expect(overlay.size).toBe(0);
	});

	test('zero is a value and empty is none', () => {
		const model = small();
		const cube = new Cube(model);
		cube.writeCell(1, [1, 0], 2027, 0, 0);
		expect(read(model, cube, 'sales', '2026-04')).toBe(0);
		expect(read(model, cube, 'sales', '2026-05')).toBeNaN();
		expect(cube.cells).toBe(1);
	});

	test('a price never adds: it shows at its cell and stays blank above two', () => {
		const model = small();
		const cube = new Cube(model);
		cube.writeSeries(1, [3, 0], 2027, [2.5, 2.7]);
		expect(read(model, cube, 'price', '2026-04')).toBe(2.5);
		expect(read(model, cube, 'price', 'FY2027')).toBeNaN();
	});

	test('blocks grow: thousands of series are found again', () => {
		const model = buildModel({
			accounts: [{ code: 'a', account: {} }],
			scenarios: [{ code: 'plan' }],
			general: { item: [{ code: 'all' }, ...Array.from({ length: 3_000 }, (_, index) => ({ code: `i${index}`, parent: 'all' }))] }
		});
		const cube = new Cube(model);
		for (let item = 1; item <= 3_000; item++) cube.writeCell(2, [0, 0, item], 2027, item % 12, item);
		expect(cube.cells).toBe(3_000);
		expect(cube.read([0, 0, 1_234], 2027, 1_234 % 12)).toBe(1_234);
		expect(leafCells(new Reader(cube), [0, 0, 0], { from: 0, to: 11 })).toHaveLength(3_000);
	});
});

test('a dimension of 100,000 members on ten levels adds up', () => {
	// Each member but the first hangs under the one a tenth of its number: ten children a parent.
	const item: MemberSketch[] = Array.from({ length: 100_000 }, (_, index) =>
		index === 0 ? { code: 'i0' } : { code: `i${index}`, parent: `i${index < 10 ? index - 1 : Math.floor(index / 10)}` }
	);
	const model = buildModel({ accounts: [{ code: 'a', account: {} }], scenarios: [{ code: 'plan' }], general: { item } });
	const dimension = model.dimensions[2]!;
	const cube = new Cube(model);
	let wanted = 0;
	for (let ordinal = 0; ordinal < item.length; ordinal += 7) {
		if (!dimension.isLeaf(ordinal)) continue;
		cube.writeCell(2, [0, 0, ordinal], 2027, 0, ordinal);
		wanted += ordinal;
	}
	expect(Math.max(...dimension.tree.depth)).toBeGreaterThan(10);
	const query: Query = {
		slice: { 1: model.accounts.member(0).id, 3: model.scenarios.member(0).id },
		rows: [0, ...Array.from({ length: 90 }, (_, index) => index + 10)].map((ordinal) => ({ [dimension.id]: dimension.member(ordinal).id })),
		columns: [{ 2: model.periods.dimension.member(model.periods.dimension.ordinalOfCode('2026-04')!).id }],
		currency: 'EUR'
	};
	const compiled = compileQuery(model, query);
	// About as many classes as rows, however many leaves.
	expect(compiled.classes[2]!.count).toBeLessThanOrEqual(query.rows.length);
	const view = new View(compiled);
	view.fill(new Reader(cube));
	const { values } = view.evaluate();
	expect(values[0]).toBe(wanted);
	expect([...values.slice(1)].reduce((sum, value) => sum + (Number.isNaN(value) ? 0 : value), 0)).toBe(wanted);
});

describe('a query that cannot be asked', () => {
	const ask = (change: (query: Query) => Query) => {
		const model = small();
		return () => compileQuery(model, change(gridQuery(model, [0, 0], 'EUR')));
	};
	test('names the dimension that is not placed', () =>
		expect(ask((query) => ({ ...query, slice: {} }))).toThrow(new QueryFault('scenario is not placed.')));
	test('names the dimension that stands on two axes', () =>
		expect(ask((query) => ({ ...query, slice: { ...query.slice, 1: 100 } }))).toThrow('account is placed on two axes.'));
	test('names the dimension of an unknown member', () =>
		expect(ask((query) => ({ ...query, slice: { 3: 999_999 } }))).toThrow('scenario has no member 999999.'));
	test('shows the path of a circle of formulas', () => {
		const model = buildModel({
			accounts: [
				{ code: 'a', account: { consolidation: 'formula' }, formula: (account) => account('b') },
				{ code: 'b', account: { consolidation: 'formula' }, formula: (account) => account('a') }
			],
			scenarios: [{ code: 'plan' }]
		});
		expect(() => compileQuery(model, gridQuery(model, [0, 0], 'EUR'))).toThrow('Formulas run in a circle: a → b → a.');
	});
});
