import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { buildParserFile } from '@lezer/generator';
import { describe, expect, test } from 'vitest';
import { checkScript, formatScript, printScript, runAssignments, ScriptNames, type ParameterValue } from '.';
import { Cube, WorkCube } from '../cube';
import { Model } from '../model';
import { buildModel } from '../testing/build-model';
import { cellKey, naiveAssignment, type NaiveCells } from '../testing/naive-script';

const money = { account: {} };
const quantity = { account: { kind: 'statistic' as const, valueType: 'quantity' as const } };
const balance = { account: { kind: 'asset' as const, timeBehaviour: 'closing' as const } };

/** Two years of months from April 2026, plan continuing from actual (to September 2026), three routes under one. */
const sketch = () =>
	buildModel({
		accounts: [
			{ code: 'Result' },
			{ code: 'Sales', parent: 'Result', ...money },
			{ code: 'Costs', parent: 'Result', weight: -1, ...money },
			{ code: 'Litres', ...quantity },
			{ code: 'Price', account: { valueType: 'price', consolidation: 'average', kind: 'rate' } },
			{ code: 'Opening', account: { kind: 'asset', timeBehaviour: 'opening' } },
			{ code: 'Additions', ...money },
			{ code: 'Closing', ...balance },
			{ code: 'Pay', ...money },
			{ code: 'Bonus', ...money },
			{
				code: 'Bonus month',
				account: { valueType: 'choice', kind: 'statistic', timeBehaviour: 'none', consolidation: 'none', frequency: 'timeless' }
			}
		],
		scenarios: [
			{ code: 'Actual', span: ['2026-04', '2026-09'] },
			{ code: 'Plan', span: ['2026-10', '2028-03'], continues: 'Actual' },
			{ code: 'Budget' }
		],
		general: { Route: [{ code: 'All' }, ...['North', 'South', 'None'].map((code) => ({ code, parent: 'All' }))] },
		rates: []
	});

const model = sketch();
const names = new ScriptNames(model);
const ordinal = (dimension: number, code: string) => model.dimension(dimension)!.ordinalOfCode(code)!;
const address = (account: string, scenario = 'Budget', route = 'North') =>
	Int32Array.from(model.dimensions, ({ code, id }) => ordinal(id, code === 'account' ? account : code === 'scenario' ? scenario : route));
const leafOf = (code: string) => model.periods.range(model.periods.dimension.ordinalOfCode(code)!).from;

type Entry = [account: string, scenario: string, route: string, month: string, value: number];
function filled(entries: readonly Entry[], within: Model = model): Cube {
	const cube = new Cube(within);
	for (const [account, scenario, route, month, value] of entries) {
		const { fiscalYear, position } = model.periods.leaf(leafOf(month));
		const timeless = account === 'Bonus month';
		cube.writeCell(2, address(account, scenario, route), timeless ? 0 : fiscalYear, timeless ? 0 : position, value);
	}
	return cube;
}
const check = (text: string, parameters: ReadonlyMap<string, ParameterValue> = new Map()) =>
	checkScript(model, text, { names, parameters });
const quiet = { whyNot: () => undefined, skipped: () => {}, breathe: () => {} };
function run(text: string, entries: readonly Entry[], parameters: ReadonlyMap<string, ParameterValue> = new Map()) {
	const cube = filled(entries);
	const { assignments, faults } = check(text, parameters);
	if (faults.length > 0) throw new Error(faults[0]!.message);
	const written = runAssignments(model, new WorkCube(cube), assignments, 5, quiet);
	return {
		written,
		at: (account: string, month: string, scenario = 'Budget', route = 'North') => {
			const { fiscalYear, position } = model.periods.leaf(leafOf(month));
			const found = cube.contributions(address(account, scenario, route), fiscalYear, position).find(({ origin }) => origin === 5);
			return found?.value;
		}
	};
}
const fault = (text: string) => check(text).faults[0]?.message;

describe('what a script says', () => {
	test('the parser is the one the grammar makes', () => {
		const folder = 'src/lib/core/script';
		const made = buildParserFile(readFileSync(`${folder}/script.grammar`, 'utf8'), { fileName: 'script.grammar', moduleStyle: 'es' });
		expect(readFileSync(`${folder}/parser.generated.js`, 'utf8').includes(made.parser.replace(/^\/\/.*\n/, ''))).toBe(true);
	});

	test('products stand where both sides have a value, sums where either has', () => {
		const cells: Entry[] = [
			['Litres', 'Budget', 'North', '2026-04', 10],
			['Litres', 'Budget', 'South', '2026-04', 5],
			['Price', 'Budget', 'North', '2026-04', 2],
			['Additions', 'Budget', 'South', '2026-05', 7]
		];
		const product = run('Costs = Litres * Price', cells);
		expect([product.at('Costs', '2026-04'), product.at('Costs', '2026-04', 'Budget', 'South')]).toEqual([20, undefined]);
		const sum = run('Costs = Litres + Additions + 5', cells);
		expect([sum.at('Costs', '2026-04'), sum.at('Costs', '2026-05', 'Budget', 'South'), sum.at('Costs', '2026-06')]).toEqual([
			15,
			12,
			undefined
		]);
	});

	test('the first or the last period of each of a level', () => {
		const months = ['2026-04', '2026-05', '2026-07', '2027-03', '2027-04', '2028-03'];
		const cells = months.map((month): Entry => ['Sales', 'Budget', 'North', month, 10]);
		const where = (text: string) => {
			const { at } = run(text, cells);
			return months.filter((month) => at('Costs', month) !== undefined);
		};
		expect(where('within first of level Year\n  Costs = Sales\nend')).toEqual(['2026-04', '2027-04']);
		expect(where('within Period: last of level Year\n  Costs = Sales\nend')).toEqual(['2027-03', '2028-03']);
		expect(where('within first of level Quarter\n  Costs = Sales\nend')).toEqual(['2026-04', '2026-07', '2027-04']);
		// All later ones, and a test.
		expect(where('within level Month except first of level Year\n  Costs = Sales\nend')).toEqual([
			'2026-05',
			'2026-07',
			'2027-03',
			'2028-03'
		]);
		expect(where('Costs = when Period in first of level Year then Sales')).toEqual(['2026-04', '2027-04']);
		expect(fault('within first of level Week\n  Costs = Sales\nend')).toBe('There is no level “Week”. There are Year, Quarter and Month.');
	});

	test('a shift crosses the fiscal year, and looks into the scenario another continues from', () => {
		const cells: Entry[] = [
			['Closing', 'Budget', 'North', '2027-03', 70],
			['Closing', 'Actual', 'North', '2026-09', 33]
		];
		const { at } = run('Opening = Closing{Month - 1}', cells);
		expect(at('Opening', '2027-04')).toBe(70);
		expect(at('Opening', '2026-10', 'Plan')).toBe(33);
	});

	test('statements that look at each other’s last month go month by month', () => {
		const { at } = run('Opening = Closing{Month - 1}\nClosing = Opening + Additions', [
			['Additions', 'Budget', 'North', '2026-04', 10],
			['Additions', 'Budget', 'North', '2026-06', 5]
		]);
		expect(['2026-04', '2026-05', '2026-06', '2028-03'].map((month) => at('Closing', month))).toEqual([10, 10, 15, 15]);
		expect(at('Opening', '2026-07')).toBe(15);
	});

	test('the same month last year, a whole year, and up to here', () => {
		const cells: Entry[] = [
			['Sales', 'Budget', 'North', '2026-05', 100],
			['Sales', 'Budget', 'North', '2026-08', 20]
		];
		const grown = run('Costs = Sales{Year - 1} * 110%', cells);
		expect([grown.at('Costs', '2027-05'), grown.at('Costs', '2026-05')]).toEqual([expect.closeTo(110), undefined]);
		const evenly = run('within Period: FY2027\n  Costs = Sales{Year: total} / 12\nend', cells);
		expect([evenly.at('Costs', '2026-04'), evenly.at('Costs', '2027-03'), evenly.at('Costs', '2027-04')]).toEqual([10, 10, undefined]);
		const toDate = run('Costs = todate(Sales, Year)', cells);
		expect([toDate.at('Costs', '2026-05'), toDate.at('Costs', '2026-07'), toDate.at('Costs', '2026-08')]).toEqual([100, 100, 120]);
	});

	test('another scenario, fixed members, totals and shares', () => {
		const cells: Entry[] = [
			['Sales', 'Actual', 'North', '2026-04', 30],
			['Sales', 'Actual', 'South', '2026-04', 10],
			['Costs', 'Actual', 'North', '2026-04', 5],
			['Price', 'Actual', 'None', '2026-04', 4]
		];
		const copied = run('within Scenario: Plan, Budget\n  Sales = Sales{Scenario: Actual, Year - 1} * 2\nend', cells);
		expect([copied.at('Sales', '2027-04', 'Plan'), copied.at('Sales', '2027-04', 'Budget', 'South')]).toEqual([60, 20]);
		// Where a scenario has no period nothing is written, for nobody would see it.
		expect(run('within Scenario: Plan\n  Sales = Sales{Scenario: Actual}\nend', cells).at('Sales', '2026-04', 'Plan')).toBe(undefined);
		const priced = run('Additions = Sales * Price{Route: None}', cells);
		expect(priced.at('Additions', '2026-04', 'Actual')).toBe(120);
		const shared = run('Additions = share(Sales over Route) * 100', cells);
		expect([shared.at('Additions', '2026-04', 'Actual'), shared.at('Additions', '2026-04', 'Actual', 'South')]).toEqual([75, 25]);
		// A parent account adds up by weight; “parent” goes one step up.
		expect(run('Additions = Sales / Sales{Route: parent} + Result', cells).at('Additions', '2026-04', 'Actual')).toBeCloseTo(25.75);
		expect(
			run('within Route: None\n  Additions = sum(Sales over leaves of Route)\nend', cells).at('Additions', '2026-04', 'Actual', 'None')
		).toBe(40);
	});

	test('looking far back goes through every scenario that one continues from', () => {
		const chain = buildModel({
			accounts: [
				{ code: 'Sales', account: {} },
				{ code: 'Costs', account: {} }
			],
			scenarios: [
				{ code: 'First', span: ['2026-04', '2026-06'] },
				{ code: 'Second', span: ['2026-07', '2026-12'], continues: 'First' },
				{ code: 'Third', span: ['2027-01', '2028-03'], continues: 'Second' }
			]
		});
		const cube = new Cube(chain);
		cube.writeCell(2, [0, 0], 2027, 1, 40);
		const { assignments, faults } = checkScript(chain, 'Costs = Sales{Year - 1}', { names: new ScriptNames(chain), parameters: new Map() });
		expect(faults).toEqual([]);
		runAssignments(chain, new WorkCube(cube), assignments, 5, { whyNot: () => undefined, skipped: () => {}, breathe: () => {} });
		// May 2026 of the first is what the third sees a year later.
		expect(cube.read([1, 2], 2028, 1)).toBe(40);
	});

	test('what it reads of another scenario is not what it writes: whole years of it may be read', () => {
		const { at } = run('within Scenario: Budget, Period: FY2028\n  Sales = Sales{Scenario: Actual, Year - 1, Year: total} / 12\nend', [
			['Sales', 'Actual', 'North', '2026-05', 120],
			['Sales', 'Budget', 'North', '2027-05', 7]
		]);
		expect([at('Sales', '2027-04'), at('Sales', '2028-03'), at('Sales', '2026-04')]).toEqual([10, 10, undefined]);
		expect(fault('Sales = Sales{Month - 1} + Sales{Year: total}')).toContain('is read as a total while it is being written');
	});

	test('conditions: months chosen in a fact, members, comparisons; a condition that is empty counts as no', () => {
		const may = model.periods.dimension.member(model.periods.dimension.ordinalOfCode('2026-05')!).id;
		const cells: Entry[] = [
			['Pay', 'Budget', 'North', '2026-04', 100],
			['Pay', 'Budget', 'North', '2026-05', 200],
			['Pay', 'Budget', 'South', '2026-05', 300],
			['Bonus month', 'Budget', 'North', '2026-04', may]
		];
		const { at } = run('Bonus = when Month is "Bonus month" then Pay * 50%', cells);
		expect([at('Bonus', '2026-04'), at('Bonus', '2026-05'), at('Bonus', '2026-05', 'Budget', 'South')]).toEqual([
			undefined,
			100,
			undefined
		]);
		const after = run('Bonus = when Month >= "Bonus month" then Pay else Pay * 2', cells);
		expect([after.at('Bonus', '2026-04'), after.at('Bonus', '2026-05'), after.at('Bonus', '2026-05', 'Budget', 'South')]).toEqual([
			200, 200, 600
		]);
		// A fact may name a quarter: all its months are meant.
		const quarter = model.periods.dimension.member(model.periods.dimension.ordinalOfCode('FY2027-Q2')!).id;
		const each = run('Bonus = when Month is "Bonus month" then Pay * 50%', [
			...['2026-06', '2026-07', '2026-08', '2026-09', '2026-10'].map((month): Entry => ['Pay', 'Budget', 'North', month, 100]),
			['Bonus month', 'Budget', 'North', '2026-04', quarter]
		]);
		expect(['2026-06', '2026-07', '2026-08', '2026-09', '2026-10'].map((month) => each.at('Bonus', month))).toEqual([
			undefined,
			50,
			50,
			50,
			undefined
		]);
		const south = run('Bonus = when Route in (South, None) then Pay', cells);
		expect([south.at('Bonus', '2026-05'), south.at('Bonus', '2026-05', 'Budget', 'South')]).toEqual([undefined, 300]);
		expect(run('Bonus = when Costs > 5 then Pay else Pay * 3', cells).at('Bonus', '2026-04')).toBe(300);
	});

	test('parameters, let, everywhere, and selections with exceptions', () => {
		const parameters = new Map<string, ParameterValue>([['growth', { kind: 'number', value: 0.1 }]]);
		const cells: Entry[] = [['Sales', 'Budget', 'North', '2026-04', 100]];
		expect(run('let up = 1 + $growth\nCosts = Sales * up', cells, parameters).at('Costs', '2026-04')).toBeCloseTo(110);
		const text = 'within Scenario: Budget, Route: leaves of All except South, Period: "2026-04" to "2026-05"\n  Costs = 7 everywhere\nend';
		const all = run(text, cells);
		expect(all.written.cells).toBe(4);
		expect([all.at('Costs', '2026-05', 'Budget', 'None'), all.at('Costs', '2026-04', 'Budget', 'South')]).toEqual([7, undefined]);
	});

	test('division by zero, a computed zero and powers of nothing are empty', () => {
		const cells: Entry[] = [
			['Sales', 'Budget', 'North', '2026-04', 100],
			['Litres', 'Budget', 'North', '2026-04', 0]
		];
		for (const text of ['Costs = Sales / Litres', 'Costs = Sales - Sales', 'Costs = Sales * Price ^ 0', 'Costs = Sales / Price'])
			expect(run(text, cells).at('Costs', '2026-04')).toBeUndefined();
	});
});

describe('faults are found before anything runs', () => {
	test.each([
		['Costs = Sails * 2', 'No member “Sails” in account, scenario, Route or period. Did you mean “Sales”?'],
		['Costs = Sales *', 'The script ends where more was expected.'],
		['Costs = * Sales', 'Found “*”: a value was expected here.'],
		['Result = Sales', '“Result” is made of other accounts: write to one of them.'],
		[
			'Costs = 5',
			'This says where from, not where to: read an account at the current cell, name the members in a within, or add everywhere.'
		],
		[
			'Costs = Sales{Route: None}',
			'This says where from, not where to: read an account at the current cell, name the members in a within, or add everywhere.'
		],
		['Costs = Sales{Weekday - 1}', '“Weekday” is no level of the calendar to shift by. There are Year, Quarter and Month.'],
		['Costs = Sales * $rate', 'There is no parameter or variable $rate.'],
		['Costs = North * 2', '“North” belongs to Route. A value is read from an account; put members into braces.'],
		['Costs{Route: All} = Sales', '“All” adds up others: a target is set to a member without any beneath it.'],
		['Costs = round()', 'round takes a value, and the number of decimals.'],
		[
			'Costs = Closing{Month - 1} + Costs{Month - 1} + Costs{Month + 1}',
			'These statements look back and ahead at each other’s results: there is no order of periods for both.'
		],
		['Costs = "Sales', 'This name has no end: a " is missing.'],
		['Costs = Sales € 2', 'Found “€”: this cannot stand here. Is an operator missing before it, or a bracket after what stands before?'],
		['-- nothing yet', 'The script writes nothing yet. Write an assignment, such as  Rent = Rent{Month - 1}.']
	])('%s', (text, message) => expect(fault(text)).toBe(message));

	test('near a place where something was typed, when no more is asked for: with the names that lets give', () => {
		const text = 'let up = Sales * 2\nCosts = Salse\nwithin scenario: Plan\n  Bonus = up + Pya\nend';
		const near = (words: string) => ({ from: text.indexOf(words), to: text.indexOf(words) + words.length });
		const found = (words: string) =>
			checkScript(model, text, { names: new ScriptNames(model), parameters: new Map(), near: near(words) }).faults.map(({ from, to }) =>
				text.slice(from, to)
			);
		expect(found('Pya')).toEqual(['Pya']);
		expect(found('Salse')).toEqual(['Salse']);
		expect(found('let up')).toEqual([]);
	});

	test('at their place, and a second statement is looked at too', () => {
		const text = 'Costs = Salse\nBonus = Pya';
		expect(check(text).faults.map(({ from, to }) => text.slice(from, to))).toEqual(['Salse', 'Pya']);
	});

	test('a megabyte, a thousand brackets and words without sense are refused, not worked at', () => {
		expect(fault(`Costs = ${'1 + '.repeat(300_000)}Sales`)).toContain('too long');
		expect(fault(`Costs = ${'('.repeat(1_000)}Sales${')'.repeat(1_000)}`)).toContain('Too many brackets');
		fc.assert(fc.property(fc.string({ unit: 'grapheme', maxLength: 60 }), (text) => Array.isArray(check(text).faults)));
		fc.assert(
			fc.property(
				fc.array(
					fc.constantFrom(
						'Costs',
						'Sales',
						'=',
						'{',
						'}',
						'(',
						')',
						'within',
						'end',
						'when',
						'then',
						':',
						',',
						'"',
						'1',
						'%',
						'$x',
						'over',
						'-'
					),
					{ maxLength: 25 }
				),
				(words) => Array.isArray(check(words.join(' ')).faults)
			)
		);
	});
});

describe('a stored script', () => {
	const text = '-- what fuel costs\nCosts = Litres * Price{Route: None} -- at the pump\n';
	const stored = { text, names: check(text).names };

	test('is printed as it was written, and with today’s names', () => {
		expect(printScript(model, stored)).toBe(text);
		const definition = structuredClone(model.definition);
		const rename = (code: string, name: string) => {
			for (const { members } of definition.dimensions)
				for (const member of members) if (member.code === code) Object.assign(member, { name, code: `${code}-1` });
		};
		rename('Litres', 'Fuel in litres');
		rename('None', 'No route');
		const renamed = new Model(definition);
		const printed = printScript(renamed, stored);
		expect(printed).toBe('-- what fuel costs\nCosts = "Fuel in litres" * Price{Route: "No route"} -- at the pump\n');
		expect(checkScript(renamed, printed, { names: new ScriptNames(renamed), parameters: new Map() }).faults).toEqual([]);
	});

	test('is set in by its scopes; formatting twice changes nothing', () => {
		const loose = 'within Scenario: Budget\nCosts = Sales -- within: no scope\n\nwithin Route: North\n      Bonus = Pay\nend\nend';
		const formatted = formatScript(loose);
		expect(formatted).toBe(
			'within Scenario: Budget\n  Costs = Sales -- within: no scope\n\n  within Route: North\n    Bonus = Pay\n  end\nend'
		);
		expect(formatScript(formatted)).toBe(formatted);
		expect(check(formatted).faults).toEqual([]);
	});
});

describe('against the naive evaluator', () => {
	const codes = ['Sales', 'Costs', 'Litres', 'Additions', 'Pay'] as const;
	const place = fc.constantFrom(
		'',
		'{Month - 1}',
		'{Year - 1}',
		'{Month + 2}',
		'{Scenario: Actual}',
		'{Route: None}',
		'{Route: total}',
		'{Route: parent}',
		'{Scenario: Budget, Month - 1}'
	);
	const read = fc.tuple(fc.constantFrom(...codes, 'Result'), place).map(([code, where]) => code + where);
	const term: fc.Arbitrary<string> = fc.letrec((tie) => ({
		term: fc.oneof(
			{ depthSize: 'small', withCrossShrink: true },
			read,
			fc.constantFrom('2', '0', '1.5'),
			fc
				.tuple(tie('term'), fc.constantFrom('+', '-', '*', '/'), tie('term'))
				.map(([left, operator, right]) => `(${left} ${operator} ${right})`),
			fc
				.tuple(tie('term'), fc.constantFrom('<', '>=', '<>'), tie('term'), tie('term'), tie('term'))
				.map(([a, sign, b, c, d]) => `(when ${a} ${sign} ${b} then ${c} else ${d})`),
			tie('term').map((of) => `(-${of})`)
		)
	})).term as fc.Arbitrary<string>;
	const scope = fc.constantFrom(
		'',
		'Scenario: Plan',
		'Scenario: Plan, Budget, Route: North',
		'Period: FY2027',
		'Route: leaves of All, Scenario: Budget'
	);
	const months = ['2026-04', '2026-09', '2026-10', '2027-03', '2027-04'];
	const entry = fc.tuple(
		fc.constantFrom(...codes),
		fc.constantFrom('Actual', 'Plan', 'Budget'),
		fc.constantFrom('North', 'South', 'None'),
		fc.constantFrom(...months),
		fc.integer({ min: -3, max: 9 })
	);

	test('every statement writes what it says, where it says', () => {
		fc.assert(
			fc.property(term, scope, fc.array(entry, { maxLength: 14 }), (expression, within, entries) => {
				const text = within === '' ? `Bonus = ${expression}` : `within ${within}\n  Bonus = ${expression}\nend`;
				const { assignments, faults } = check(text);
				fc.pre(faults.length === 0);
				const unique = new Map(entries.map((each) => [each.slice(0, 4).join(), each]));
				const list = [...unique.values()];
				const cells: NaiveCells = new Map(
					list.map(([account, scenario, route, month, value]) => [cellKey([...address(account, scenario, route)], leafOf(month)), value])
				);
				const { at } = run(text, list);
				for (const scenario of ['Actual', 'Plan', 'Budget'])
					for (const route of ['North', 'South', 'None'])
						for (const { index, ordinal } of model.periods.leaves) {
							const expected = naiveAssignment(model, cells, assignments[0]!, [...address('Bonus', scenario, route)], index);
							const found = at('Bonus', model.periods.dimension.member(ordinal).code, scenario, route);
							if (expected === undefined) expect(found).toBeUndefined();
							else expect(found).toBeCloseTo(expected, 6);
						}
			}),
			{ numRuns: 300 }
		);
	});
});
