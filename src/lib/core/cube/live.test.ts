import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { AccountRead, Expression, PartOfYear } from '../formula';
import { Model } from '../model';
import { buildModel, fuelledModel, naiveCell, randomModel, type StoredCell, topView } from '../testing';
import { compileQuery, Cube, Overlay, Reader, View } from '.';

describe('what is read at a fixed place', () => {
	const april = (model: Model, view: View, code: string) => {
		const columns = model.periods.dimension.members.length;
		return view.evaluate().values[model.accounts.ordinalOfCode(code)! * columns + model.periods.dimension.ordinalOfCode('2026-04')!];
	};

	test('one price moves every result that reads it, and what follows from them', () => {
		const model = fuelledModel();
		const cube = new Cube(model);
		[1, 2, 3].forEach((route) => cube.writeCell(2, [0, 0, route], 2027, 0, route * 10));
		cube.writeCell(2, [1, 0, 4], 2027, 0, 2);
		const view = topView(model);
		view.fill(new Reader(cube));
		expect([april(model, view, 'fuel'), april(model, view, 'margin')]).toEqual([120, -120]);
		cube.writeCell(2, [1, 0, 4], 2027, 0, 3);
		view.change({ address: [1, 0, 4], year: 2027, position: 0, before: 2, after: 3 });
		expect([april(model, view, 'fuel'), april(model, view, 'margin')]).toEqual([180, -180]);
		// A price elsewhere is nobody's price.
		cube.writeCell(2, [1, 0, 1], 2027, 0, 99);
		view.change({ address: [1, 0, 1], year: 2027, position: 0, before: Number.NaN, after: 99 });
		expect(april(model, view, 'fuel')).toBe(180);
	});

	test('a drafted price meets stored and drafted litres', () => {
		const model = fuelledModel();
		const cube = new Cube(model);
		cube.writeCell(2, [0, 0, 1], 2027, 0, 10);
		cube.writeCell(2, [1, 0, 4], 2027, 0, 2);
		const overlay = new Overlay(model);
		const view = topView(model);
		view.fill(new Reader(cube, [overlay]));
		const type = (address: number[], value: number) => {
			const before = new Reader(cube, [overlay]).read(address, 2027, 0);
			overlay.set(address, 2027, 0, value);
			view.change({ address, year: 2027, position: 0, before, after: value });
		};
		type([0, 0, 2], 5);
		type([1, 0, 4], 4);
		expect(april(model, view, 'fuel')).toBe(60);
		type([0, 0, 1], 1);
		type([1, 0, 4], 1);
		expect([april(model, view, 'fuel'), april(model, view, 'margin')]).toEqual([6, -6]);
	});

	test('a draft typed cell by cell agrees with the naive evaluator on random models', () => {
		fc.assert(
			fc.property(randomModel, ({ model, cells }) => {
				const stored = cells.filter(({ origin }) => origin === 2);
				const typed = cells.filter(({ origin }) => origin === 1 || origin === 3);
				const cube = new Cube(model);
				for (const { origin, address, period, value, stamp } of stored) {
					const { fiscalYear, position } = model.periods.leaf(period);
					cube.writeCell(origin, address, fiscalYear, position, value, stamp);
				}
				const overlay = new Overlay(model);
				const view = topView(model);
				view.fill(new Reader(cube, [overlay]));
				const entries = new Map<string, StoredCell>();
				for (const cell of typed) {
					const { fiscalYear, position } = model.periods.leaf(cell.period);
					const before = new Reader(cube, [overlay]).read(cell.address, fiscalYear, position);
					overlay.set(cell.address, fiscalYear, position, cell.value);
					view.change({ address: cell.address, year: fiscalYear, position, before, after: cell.value });
					entries.set(`${cell.address.join()} ${cell.period}`, { ...cell, origin: 1 });
				}
				const all = [...stored, ...entries.values()];
				const { values } = view.evaluate();
				const columns = model.periods.dimension.members.length;
				const top = model.dimensions.map(() => 0);
				for (let account = 0; account < model.accounts.members.length; account++)
					for (let period = 0; period < columns; period++) {
						const wanted = naiveCell(model, all, top.with(model.accountAxis, account), period, 'EUR').value;
						const where = `${model.accounts.member(account).code} at ${model.periods.dimension.member(period).code}`;
						if (wanted === undefined) expect(values[account * columns + period], where).toBeNaN();
						else expect(values[account * columns + period], where).toBeCloseTo(wanted, 6);
					}
			}),
			{ numRuns: 120 }
		);
	});
});

describe('what looks into other periods', () => {
	const shifted = (read: Expression, by: number, level = 'month'): Expression => ({ ...(read as AccountRead), shift: { level, by } });
	const sum = (left: Expression, right: Expression): Expression => ({ kind: 'binary', operator: '+', left, right });
	/** Balances of the plan begin with what Actual ended with, in June 2026. */
	const balances = (mayBeTyped = false) =>
		buildModel({
			accounts: [
				{ code: 'added', account: {} },
				{
					code: 'opening',
					account: { timeBehaviour: 'opening' },
					perLeaf: { scenario: 'plan' },
					formula: (account) => shifted(account('closing'), -1)
				},
				{
					code: 'closing',
					account: { timeBehaviour: 'closing' },
					perLeaf: { scenario: 'plan', mayBeTyped },
					formula: (account) => sum(account('opening'), account('added'))
				}
			],
			scenarios: [
				{ code: 'actual', span: ['2026-04', '2026-06'] },
				{ code: 'plan', span: ['2026-07', '2028-03'], continues: 'actual' }
			],
			general: { route: [{ code: 'all' }, ...['r1', 'r2'].map((code) => ({ code, parent: 'all' }))] }
		});
	const [ADDED, CLOSING, ACTUAL, PLAN] = [0, 2, 0, 1];
	const open = (model: Model) => {
		const view = openPlan(model);
		const cube = new Cube(model);
		view.fill(new Reader(cube));
		return {
			view,
			write(address: number[], period: string, value: number) {
				const { fiscalYear, position } = model.periods.leaf(model.periods.range(model.periods.dimension.ordinalOfCode(period)!).from);
				const before = cube.read(address, fiscalYear, position);
				cube.writeCell(2, address, fiscalYear, position, value);
				view.change({ address, year: fiscalYear, position, before, after: value });
			},
			at: (code: string, period: string) =>
				view.evaluate().values[
					model.accounts.ordinalOfCode(code)! * model.periods.dimension.members.length + model.periods.dimension.ordinalOfCode(period)!
				],
			cube
		};
	};
	function openPlan(model: Model): View {
		const slice = {
			[model.scenarios.id]: model.scenarios.member(PLAN).id,
			[model.dimensions.at(-1)!.id]: model.dimensions.at(-1)!.member(0).id
		};
		const period = model.periods.dimension;
		return new View(
			compileQuery(model, {
				slice,
				rows: model.accounts.members.map(({ id }) => ({ [model.accounts.id]: id })),
				columns: period.members.map(({ id }) => ({ [period.id]: id })),
				currency: 'EUR'
			})
		);
	}

	test('a balance goes on through the year’s end, from where the scenario before left it, and every change runs through', () => {
		const plan = open(balances());
		plan.write([CLOSING, ACTUAL, 1], '2026-06', 100);
		expect([plan.at('opening', '2026-07'), plan.at('closing', '2028-03')]).toEqual([100, 100]);
		plan.write([ADDED, PLAN, 1], '2026-09', 10);
		plan.write([ADDED, PLAN, 2], '2027-04', 5);
		expect(['2026-08', '2026-09', '2027-03', '2027-04', '2028-03'].map((month) => plan.at('closing', month))).toEqual([
			100, 110, 110, 115, 115
		]);
		expect(plan.at('opening', 'FY2028')).toBe(110);
		plan.write([CLOSING, ACTUAL, 1], '2026-06', 200);
		expect([plan.at('opening', '2026-07'), plan.at('closing', '2028-03')]).toEqual([200, 215]);
		// Filled anew it is the same.
		const again = openPlan(balances());
		again.fill(new Reader(plan.cube));
		expect([...again.evaluate().values]).toEqual([...plan.view.evaluate().values]);
	});

	test('in the first period of every year, or in all others, and elsewhere it is an ordinary leaf', () => {
		const within = (part: PartOfYear) =>
			buildModel({
				accounts: [
					{ code: 'added', account: {} },
					{ code: 'doubled', account: {}, perLeaf: { within: part }, formula: (account) => sum(account('added'), account('added')) }
				],
				scenarios: [
					{ code: 'actual', span: ['2026-04', '2026-06'] },
					{ code: 'plan', span: ['2026-04', '2028-03'] }
				],
				general: { route: [{ code: 'all' }, ...['r1', 'r2'].map((code) => ({ code, parent: 'all' }))] }
			});
		const first = open(within('first period of the year'));
		for (const month of ['2026-04', '2026-05', '2027-04']) first.write([ADDED, PLAN, 1], month, 10);
		first.write([1, PLAN, 1], '2026-05', 3);
		expect(['2026-04', '2026-05', '2027-04', 'FY2027', 'FY2028'].map((period) => first.at('doubled', period))).toEqual([20, 3, 20, 23, 20]);
		const later = open(within('later periods of the year'));
		for (const month of ['2026-04', '2026-05', '2027-04']) later.write([ADDED, PLAN, 1], month, 10);
		later.write([1, PLAN, 1], '2027-04', 5);
		expect(['2026-04', '2026-05', '2027-04', 'FY2027'].map((period) => later.at('doubled', period))).toEqual([Number.NaN, 20, 5, 20]);
		const again = openPlan(within('first period of the year'));
		again.fill(new Reader(first.cube));
		expect([...again.evaluate().values]).toEqual([...first.view.evaluate().values]);
	});
	test('two formulas of an account may share the year between them, and meet nowhere', () => {
		const model = within2('first period of the year', 'later periods of the year');
		expect(model.live.at(1, 0, 0)).not.toBe(model.live.at(1, 0, 1));
		expect(model.live.at(1, 0, 12)).toBe(model.live.at(1, 0, 0));
		expect(() => within2('first period of the year', 'first period of the year')).toThrow('meet in the same scenario and period');
		expect(() => within2('first period of the year', undefined)).toThrow('meet in the same scenario and period');
	});
	/** An account with two formulas, each in its part of the year. */
	function within2(one: PartOfYear, other: PartOfYear | undefined): Model {
		const model = buildModel({
			accounts: [
				{ code: 'added', account: {} },
				{ code: 'doubled', account: {}, perLeaf: {}, formula: (account) => sum(account('added'), account('added')) }
			],
			scenarios: [{ code: 'plan' }],
			general: { route: [{ code: 'all' }, { code: 'r1', parent: 'all' }] }
		});
		const [formula] = model.definition.formulas;
		const parts = [one, other].map((part) => ({ ...formula!, scope: part ? { within: part } : {} }));
		return new Model({ ...model.definition, formulas: parts });
	}

	test('where it may be typed over, what is stored stands above the result, and what follows follows it', () => {
		const plan = open(balances(true));
		plan.write([ADDED, PLAN, 1], '2026-09', 10);
		plan.write([ADDED, PLAN, 1], '2026-12', 5);
		expect(['2026-10', '2027-01'].map((month) => plan.at('closing', month))).toEqual([10, 15]);
		plan.write([CLOSING, PLAN, 1], '2026-10', 100);
		expect(['2026-09', '2026-10', '2026-11', '2027-01'].map((month) => plan.at('closing', month))).toEqual([10, 100, 100, 105]);
		// What would move the result does not move what stands above it.
		plan.write([ADDED, PLAN, 1], '2026-09', 70);
		expect(['2026-09', '2026-10', '2027-01'].map((month) => plan.at('closing', month))).toEqual([70, 100, 105]);
		const again = openPlan(balances(true));
		again.fill(new Reader(plan.cube));
		expect([...again.evaluate().values]).toEqual([...plan.view.evaluate().values]);
		// Taken away, the result shows again.
		plan.write([CLOSING, PLAN, 1], '2026-10', Number.NaN);
		expect(['2026-10', '2027-01'].map((month) => plan.at('closing', month))).toEqual([70, 75]);
	});

	test('an index beyond the calendar reads nothing', () => {
		const plan = open(balances());
		plan.write([ADDED, PLAN, 1], '2028-03', 7);
		expect([plan.at('opening', '2026-07'), plan.at('closing', '2028-02'), plan.at('closing', '2028-03')]).toEqual([
			Number.NaN,
			Number.NaN,
			7
		]);
	});

	test.each<[string, (account: (code: string) => Expression) => Expression, string]>([
		['in its own period', (account) => account('closing'), 'Formulas run in a circle: opening → closing → opening.'],
		[
			'back and ahead',
			(account) => sum(shifted(account('closing'), -1), shifted(account('closing'), 1)),
			'The formula of opening looks back and ahead at its own results: there is no order of periods for both.'
		]
	])('a circle %s is refused', (_, formula, sentence) =>
		expect(() =>
			buildModel({
				accounts: [
					{ code: 'opening', account: { timeBehaviour: 'opening' }, perLeaf: {}, formula },
					{ code: 'closing', account: { timeBehaviour: 'closing' }, perLeaf: {}, formula: (account) => account('opening') }
				],
				scenarios: [{ code: 'plan' }]
			})
		).toThrow(sentence)
	);
});

test.each<[string, Parameters<typeof buildModel>[0]['accounts']]>([
	[
		'The formula of dues says where from, not where to.',
		[
			{ code: 'price', account: { valueType: 'price' } },
			{ code: 'dues', account: {}, perLeaf: {}, formula: (account) => account('price', { route: 'none' }) }
		]
	],
	[
		'The formula of dues reads price where no leaf is.',
		[
			{ code: 'price', account: { valueType: 'price' } },
			{
				code: 'dues',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('price'), right: account('price', { route: 'all' }) })
			}
		]
	]
])('%s', (sentence, accounts) =>
	expect(() =>
		buildModel({ accounts, scenarios: [{ code: 'plan' }], general: { route: [{ code: 'all' }, { code: 'none', parent: 'all' }] } })
	).toThrow(sentence)
);
