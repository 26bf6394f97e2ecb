import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { compileQuery, Cube, Reader, View, WorkCube } from '../cube';
import { Model } from '../model';
import { buildModel } from '../testing';
import { cellKey, naiveAssignment, type NaiveCells } from '../testing/naive-script';
import { checkScript, runAssignments, ScriptNames, type ParameterValue } from '.';

/** What scripts read of totals, stretches of time and selections: worked by hand, and held against the obvious way. */
const sketch = buildModel({
	accounts: [
		{ code: 'Vessels' },
		{ code: 'Closing', parent: 'Vessels', account: { kind: 'asset', timeBehaviour: 'closing' } },
		{ code: 'Bought', parent: 'Vessels', account: { kind: 'asset' } },
		{ code: 'Staff', parent: 'Vessels', weight: -1, account: { timeBehaviour: 'average' } },
		{ code: 'Sales', account: {} },
		{ code: 'Result', account: {} },
		{ code: 'Share', account: { valueType: 'percent', consolidation: 'average', timeBehaviour: 'none', decimals: 1 } }
	],
	scenarios: [
		{ code: 'Actual', span: ['2026-04', '2026-09'] },
		{ code: 'Plan', span: ['2026-10', '2028-03'], continues: 'Actual' }
	],
	general: {
		Route: [
			{ code: 'All' },
			{ code: 'South', parent: 'All', weight: -1 },
			{ code: 'North', parent: 'All' },
			{ code: 'Inner', parent: 'All' },
			{ code: 'Harbour', parent: 'Inner' },
			{ code: 'Bay', parent: 'Inner', weight: 0 },
			{ code: 'Sheltered' },
			{ code: 'Alone' }
		]
	}
});
/** Stored out of their order in the tree; Sheltered groups North and Harbour in a hierarchy of its own. */
const model = new Model({
	...sketch.definition,
	dimensions: sketch.definition.dimensions.map((dimension) => {
		if (dimension.code !== 'Route') return dimension;
		const id = (code: string) => dimension.members.find((each) => each.code === code)!.id;
		return {
			...dimension,
			nodes: ['All', 'North', 'South', 'Inner', 'Harbour', 'Bay', 'Sheltered', 'Alone'].map((code) =>
				dimension.nodes.find(({ member }) => member === id(code))!
			),
			alternates: [
				{
					name: 'Shelter',
					nodes: [
						{ member: id('Sheltered'), parent: null, weight: 1 },
						{ member: id('North'), parent: id('Sheltered'), weight: 1 },
						{ member: id('Harbour'), parent: id('Sheltered'), weight: 1 }
					]
				}
			]
		};
	})
});
type Entry = [account: string, month: string, value: number, route?: string, scenario?: string];
const address = (account: string, scenario: string, route: string) =>
	[account, scenario, route].map((code, axis) => model.dimensions[axis]!.ordinalOfCode(code)!);
const leafOf = (code: string) => model.periods.leaf(model.periods.range(model.periods.dimension.ordinalOfCode(code)!).from);
function filled(entries: readonly Entry[]): Cube {
	const cube = new Cube(model);
	for (const [account, month, value, route = 'North', scenario = 'Plan'] of entries)
		cube.writeCell(2, address(account, scenario, route), leafOf(month).fiscalYear, leafOf(month).position, value);
	return cube;
}
const names = new ScriptNames(model);
const check = (text: string, parameters: ReadonlyMap<string, ParameterValue> = new Map()) =>
	checkScript(model, text, { names, parameters });
/** What a script writes into Result; empty where it writes nothing. */
function results(text: string, entries: readonly Entry[]) {
	const cube = filled(entries);
	const { assignments, faults } = check(text);
	if (faults.length > 0) throw new Error(faults[0]!.message);
	runAssignments(model, new WorkCube(cube), assignments, 5, { whyNot: () => undefined, skipped: () => {}, breathe: () => {} });
	return (month: string, route = 'North', account = 'Result', scenario = 'Plan') => {
		const { fiscalYear, position } = leafOf(month);
		return cube.contributions(address(account, scenario, route), fiscalYear, position).find(({ origin }) => origin === 5)?.value;
	};
}
/** The same figure as a form would show it. */
function inForm(entries: readonly Entry[], account: string, period: string, toDate = false): number {
	const [of, scenario, route] = address(account, 'Plan', 'North').map((ordinal, axis) => model.dimensions[axis]!.member(ordinal).id);
	const view = new View(
		compileQuery(model, {
			slice: { [model.scenarios.id]: scenario!, [model.dimensions[2]!.id]: route! },
			rows: [{ [model.accounts.id]: of! }],
			columns: [{ [model.periods.dimension.id]: model.periods.dimension.member(model.periods.dimension.ordinalOfCode(period)!).id }],
			currency: 'EUR',
			...(toDate && { toDate: 'year' })
		} as Parameters<typeof compileQuery>[1])
	);
	view.fill(new Reader(filled(entries)));
	return view.evaluate().values[0]!;
}

describe('over time', () => {
	const year: Entry[] = [
		['Closing', '2027-04', 90],
		['Closing', '2028-03', 100],
		['Bought', '2027-04', 10],
		['Bought', '2028-03', 5],
		['Sales', '2027-06', 1]
	];
	test('a parent account brings each account’s behaviour: closing 100 and flow 15 make 115, as in the form', () => {
		expect(results('Result = Sales * Vessels{Year: total}', year)('2027-06')).toBe(115);
		expect(inForm(year, 'Vessels', 'FY2028')).toBe(115);
	});
	test('what ran up to a date ran up in the scenario before, too: 10 and 30 before, 1 and 20 since: 31, then 51', () => {
		const entries: Entry[] = [
			['Sales', '2026-05', 10, 'North', 'Actual'],
			['Sales', '2026-09', 20, 'North', 'Actual'],
			['Sales', '2026-10', 1],
			['Sales', '2026-11', 20]
		];
		const at = results('Result = todate(Sales, Year)', entries);
		expect([at('2026-10'), at('2026-11')]).toEqual([31, 51]);
	});
	test('of the last months of a scenario cut by its span only those count', () =>
		expect(
			results('within Scenario: Plan\n  Result = Sales + Sales{Scenario: Actual, Year: total}\nend', [
				['Sales', '2026-10', 1],
				['Sales', '2026-06', 7, 'North', 'Actual']
			])('2026-10')
		).toBe(8));
});

describe('members', () => {
	const month = '2027-06';
	const each: Entry[] = [
		['Sales', month, 10, 'North'],
		['Sales', month, 4, 'South'],
		['Sales', month, 3, 'Harbour'],
		['Sales', month, 50, 'Bay'],
		['Sales', month, 120, 'Alone']
	];
	const fold = (text: string) => results(`within Route: North\n  Result = ${text} + 0 * Sales\nend`, each)(month, 'North');
	test('above a root there is nobody: empty, not the first member', () => {
		const at = results('within Route: Alone, North\n  Result = Sales{Route: parent}\nend', each);
		expect([at(month, 'Alone'), at(month, 'North')]).toEqual([undefined, 9]);
	});
	test.each([
		['Sales{Route: All}', 9],
		['sum(Sales over leaves of All)', 67],
		['sum(Sales over under All)', 67],
		['avg(Sales over children of All)', (10 + 4 + 3) / 3],
		['count(Sales over leaves of All)', 4],
		['min(Sales over children of All)', 3],
		['max(Sales over leaves of All)', 50],
		['first(Sales over children of All)', 10],
		['last(Sales over children of All)', 3],
		['last(Sales over under All)', 50]
	])('%s is %d', (text, value) => expect(fold(text)).toBeCloseTo(value, 9));
	test('a group of another hierarchy means its leaves, in scopes, tests and folds', () => {
		const within = results('within Route: Sheltered\n  Result = Sales\nend', each);
		expect(['North', 'South', 'Harbour'].map((route) => within(month, route))).toEqual([10, undefined, 3]);
		const tested = results('Result = when Route in (Sheltered) then Sales', each);
		expect(['North', 'South', 'Harbour'].map((route) => tested(month, route))).toEqual([10, undefined, 3]);
		const is = results('Result = when Route is Sheltered then 1 * Sales', each);
		expect(is(month, 'Harbour')).toBe(3);
		expect(fold('sum(Sales over Sheltered)')).toBe(13);
		expect(fold('Sales{Route: Sheltered}')).toBe(13);
	});
	test('other functions take no selection, and say which do', () =>
		expect(check('Result = abs(Sales over leaves of All)').faults[0]!.message).toContain('sum, avg, count, min, max, first and last'));
});

describe('comparisons', () => {
	const tell = (text: string, entries: readonly Entry[]) => results(`Result = when ${text} then 1 else 2`, entries)('2027-06');
	const of = (sales: number, bought: number): Entry[] => [
		['Sales', '2027-06', sales],
		['Bought', '2027-06', bought]
	];
	test('within half a unit of the last decimal is equal: 0.1 + 0.2 = 0.3', () => {
		expect(tell('Sales + Bought = 0.3', of(0.1, 0.2))).toBe(1);
		expect(tell('Sales + Bought <> 0.3', of(0.1, 0.2))).toBe(2);
		expect(tell('Sales + Bought > 0.3', of(0.1, 0.2))).toBe(2);
		expect(tell('Sales + Bought >= 0.3', of(0.1, 0.2))).toBe(1);
		expect(tell('Sales = Bought', of(1, 1.006))).toBe(2);
		expect(tell('Sales = Bought', of(1, 1.004))).toBe(1);
		expect(tell('Sales < Bought', of(1, 1.004))).toBe(2);
	});
	test('a percent is told apart by its own last decimal', () => {
		const share = (value: number): Entry[] => [
			['Share', '2027-06', value],
			['Sales', '2027-06', 1]
		];
		expect(results('Result = when Share = 5% then 1 * Sales else 2 * Sales', share(0.0504))('2027-06')).toBe(1);
		expect(results('Result = when Share = 5% then 1 * Sales else 2 * Sales', share(0.051))('2027-06')).toBe(2);
	});
});

/** One statement for all accounts of a scope. */
describe('value', () => {
	const flows = buildModel({
		accounts: [
			{ code: 'Balance' },
			{ code: 'Cash', parent: 'Balance', account: { kind: 'asset' } },
			{ code: 'Loans', parent: 'Balance', account: { kind: 'liability' } },
			{ code: 'Expenses' },
			{ code: 'Rent', parent: 'Expenses', account: { kind: 'expense' } },
			{ code: 'Energy', parent: 'Expenses', account: { kind: 'expense' } },
			{
				code: 'Tariff',
				parent: 'Expenses',
				account: { kind: 'rate', valueType: 'price', consolidation: 'average', timeBehaviour: 'none' }
			},
			{ code: 'Extra', parent: 'Expenses', account: { kind: 'expense' }, perLeaf: {}, formula: (read) => read('Rent') }
		],
		scenarios: [{ code: 'Plan' }],
		general: { Flow: [{ code: 'Closing' }, { code: 'Opening', parent: 'Closing' }, { code: 'Moved', parent: 'Closing' }] }
	});
	const known = new ScriptNames(flows);
	const run = (text: string, entries: readonly [account: string, flow: string, month: string, value: number][]) => {
		const cube = new Cube(flows);
		const place = (account: string, flow: string) =>
			[account, 'Plan', flow].map((code, axis) => flows.dimensions[axis]!.ordinalOfCode(code)!);
		const at = (month: string) => flows.periods.leaf(flows.periods.range(flows.periods.dimension.ordinalOfCode(month)!).from);
		for (const [account, flow, month, value] of entries)
			cube.writeCell(2, place(account, flow), at(month).fiscalYear, at(month).position, value);
		const read = checkScript(flows, text, { names: known, parameters: new Map() });
		if (read.faults.length > 0) throw new Error(read.faults[0]!.message);
		runAssignments(flows, new WorkCube(cube), read.assignments, 5, {
			whyNot: () => undefined,
			skipped: () => {},
			breathe: () => {}
		});
		return {
			...read,
			show: (account: string, flow: string, month: string) => cube.read(place(account, flow), at(month).fiscalYear, at(month).position)
		};
	};
	test('a twelfth of every expense; what a formula computes and what does not add up are passed over and counted', () => {
		const {
			show,
			passedOver,
			names: uses
		} = run('within account: leaves of Expenses, period: "2027-03"\n  value = value / 12\nend', [
			['Rent', 'Moved', '2027-03', 1_200],
			['Rent', 'Moved', '2027-02', 7],
			['Energy', 'Moved', '2027-03', 24],
			['Tariff', 'Moved', '2027-03', 60]
		]);
		expect(['Rent', 'Energy', 'Tariff'].map((code) => show(code, 'Moved', '2027-03'))).toEqual([100, 2, 60]);
		expect(show('Rent', 'Moved', '2027-02')).toBe(7);
		expect([...passedOver]).toEqual([
			['no amount that adds up', 1],
			['computed by a formula', 1]
		]);
		// Each name is kept once, however many accounts the statement is for.
		expect(uses).toHaveLength(2);
	});
	test('prices too where they are picked by what they are', () => {
		const { show } = run('within account: leaves of Expenses where kind = rate\n  value = value * 2\nend', [
			['Tariff', 'Moved', '2027-03', 60]
		]);
		expect(show('Tariff', 'Moved', '2027-03')).toBe(120);
	});
	test('opening is last month’s closing for every asset and liability, through the years', () => {
		const { show } = run(
			'within account: leaves of Balance where kind in (asset, liability)\n  value{Flow: Opening} = value{Flow: Closing, Month - 1}\nend',
			[
				['Cash', 'Moved', '2026-04', 100],
				['Cash', 'Moved', '2026-06', 5],
				['Loans', 'Moved', '2027-03', 40]
			]
		);
		expect(['2026-05', '2026-06', '2026-07', '2027-04', '2028-03'].map((month) => show('Cash', 'Opening', month))).toEqual([
			100, 100, 105, 105, 105
		]);
		expect(['2027-03', '2027-04'].map((month) => show('Loans', 'Opening', month))).toEqual([Number.NaN, 40]);
	});
	test('needs accounts to stand for, and says so', () => {
		const fault = (text: string) => checkScript(flows, text, { names: known, parameters: new Map() }).faults[0]?.message;
		expect(fault('value = value / 12')).toContain('Name them first');
		expect(fault('within account: Rent\n  let x = value * 2\n  value = x\nend')).toContain('not in a let');
		expect(fault('within account: Extra\n  value = value * 2\nend')).toContain('No account of this scope');
	});
});

test('every fold, total and stretch is what going through all cells comes to', () => {
	const read = fc.constantFrom(
		'todate(Sales, Year)',
		'todate(Vessels, Year)',
		'todate(Staff, Year)',
		'Vessels{Year: total}',
		'Staff{Year: total}',
		'Closing{Year: total}',
		'Vessels{Year: total, Route: All}',
		'Sales{Route: All}',
		'Sales{Route: parent}',
		'Sales{Route: Sheltered}',
		'sum(Sales over under Inner)',
		'avg(Bought over children of All)',
		'count(Sales over leaves of All)',
		'min(Sales over under All)',
		'max(Vessels over children of All)',
		'first(Sales over under All)',
		'last(Sales over children of All)',
		'(when Sales = Bought then 1 else 2)',
		'Sales{Month - 1}'
	);
	const entry = fc.tuple(
		fc.constantFrom('Closing', 'Bought', 'Staff', 'Sales', 'Sales'),
		fc.constantFrom('2026-08', '2026-09', '2026-10', '2026-11', '2027-03', '2027-04'),
		fc.integer({ min: -30, max: 90 }).map((value) => value / 1_000),
		fc.constantFrom('North', 'South', 'Harbour', 'Bay', 'Alone'),
		fc.constantFrom('Plan', 'Plan', 'Actual')
	) as fc.Arbitrary<Entry>;
	fc.assert(
		fc.property(read, read, fc.array(entry, { maxLength: 20 }), (one, other, entries) => {
			const text = `within Route: All, Alone\n  Result = Sales * 0 + ${one} - ${other}\nend`;
			const { assignments, faults } = check(text);
			expect(faults).toEqual([]);
			const list = [...new Map(entries.map((each) => [[each[0], each[1], each[3], each[4]].join(), each])).values()];
			const cells: NaiveCells = new Map(
				list.flatMap(([account, month, value, route, scenario]) => {
					const { span } = model.scenario(model.scenarios.ordinalOfCode(scenario!)!)!;
					const { index } = leafOf(month);
					return index < span.from || index > span.to ? [] : [[cellKey(address(account, scenario!, route!), index), value] as const];
				})
			);
			const at = results(text, list);
			for (const scenario of ['Actual', 'Plan'])
				for (const route of ['North', 'South', 'Harbour', 'Bay', 'Alone'])
					for (const { index, ordinal } of model.periods.leaves) {
						const expected = naiveAssignment(model, cells, assignments[0]!, address('Result', scenario, route), index);
						const found = at(model.periods.dimension.member(ordinal).code, route, 'Result', scenario);
						if (expected === undefined)
							expect(found === undefined || Math.abs(found) < 1e-12 || found === Number.POSITIVE_INFINITY).toBe(true);
						else expect(found).toBeCloseTo(expected, 9);
					}
		}),
		{ numRuns: 300 }
	);
});

describe('figures of another currency', () => {
	test('are translated by the kind of account that is read: a balance at closing rates, what happened at average ones', () => {
		const abroad = buildModel({
			accounts: [
				{ code: 'Cash', account: { kind: 'asset', timeBehaviour: 'closing' } },
				{ code: 'Sales', account: {} },
				{ code: 'Of cash', account: {} },
				{ code: 'Of sales', account: { kind: 'asset', timeBehaviour: 'closing' } }
			],
			scenarios: [{ code: 'Plan' }],
			entities: [
				{ code: 'Isle', currency: 'NOK' },
				{ code: 'Coast', currency: 'EUR' }
			],
			rates: (['average', 'closing'] as const).map((kind) => ({
				currency: 'NOK',
				kind,
				from: '2026-01-01',
				to: '2028-12-31',
				value: kind === 'average' ? 10 : 12.5
			}))
		});
		const cube = new Cube(abroad);
		const place = (account: string, entity: string) =>
			[account, 'Plan', entity].map((code, axis) => abroad.dimensions[axis]!.ordinalOfCode(code)!);
		for (const account of ['Cash', 'Sales']) {
			cube.writeCell(2, place(account, 'Isle'), 2027, 0, 1_000);
			// Something to compute beside.
			cube.writeCell(2, place(account, 'Coast'), 2027, 0, 1);
		}
		const text = 'within entity: Coast\n  "Of cash" = Cash + Cash{entity: Isle}\n  "Of sales" = Sales + Sales{entity: Isle}\nend';
		const { assignments, faults } = checkScript(abroad, text, { names: new ScriptNames(abroad), parameters: new Map() });
		expect(faults).toEqual([]);
		runAssignments(abroad, new WorkCube(cube), assignments, 5, { whyNot: () => undefined, skipped: () => {}, breathe: () => {} });
		const written = (account: string) => cube.contributions(place(account, 'Coast'), 2027, 0).find(({ origin }) => origin === 5)?.value;
		expect([written('Of cash'), written('Of sales')]).toEqual([81, 101]);
	});
});
