import { describe, expect, test } from 'vitest';
import { WriteGuard } from '../access';
import { enter, parseEntry } from '../entry';
import { buildModel } from '../testing';
import { RunbookWorld } from '../testing/runbook-world';
import { compileQuery, Cube, Overlay, Reader, View } from '.';

/**
 * Movements as a dimension, worked by hand. Cash is a balance of its own making (closing), Sales a flow; beside Opening,
 * Moved and Counted neither of that matters. One GBP is worth 2 EUR at the end of March, 4 of April, 8 of May; 3 on average
 * in April, 5 in May.
 */
const rate = (kind: 'average' | 'closing' | 'historical', from: string, to: string, perPound: number) => ({
	currency: 'GBP',
	kind,
	from,
	to,
	value: 1 / perPound
});
const model = buildModel({
	calendar: { firstYear: 2026 },
	accounts: [
		{ code: 'Net' },
		{ code: 'Cash', parent: 'Net', account: { kind: 'asset', timeBehaviour: 'closing' } },
		{ code: 'Sales', parent: 'Net', account: {} },
		{ code: 'Own', parent: 'Net', account: { kind: 'equity', timeBehaviour: 'closing' } },
		{ code: 'Paid in', account: { kind: 'equity', timeBehaviour: 'closing', rateKind: 'historical' } },
		{ code: 'Heads', parent: 'Net', account: { valueType: 'quantity', timeBehaviour: 'latest' } },
		{ code: 'Tariff', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' }, weigher: 'Cash' }
	],
	scenarios: [{ code: 'Plan', span: ['2026-04', '2026-05'], entry: ['2026-04', '2026-05'] }],
	entities: [
		{ code: 'Home', currency: 'EUR' },
		{ code: 'Away', currency: 'GBP' }
	],
	general: {
		Flow: [
			{ code: 'Closing' },
			{ code: 'Opening', parent: 'Closing', balance: 'opening' },
			{ code: 'Moved', parent: 'Closing', balance: 'movement' },
			{ code: 'Lost', parent: 'Closing', weight: -1, balance: 'movement' },
			{ code: 'Counted', balance: 'closing' },
			{ code: 'Plain' }
		]
	},
	rates: [
		rate('closing', '2026-03-31', '2026-04-29', 2),
		rate('closing', '2026-04-30', '2026-05-30', 4),
		rate('closing', '2026-05-31', '2026-06-30', 8),
		rate('average', '2026-04-01', '2026-04-30', 3),
		rate('average', '2026-05-01', '2026-05-31', 5),
		rate('historical', '2026-01-01', '2026-12-31', 7)
	]
});

function show(
	cube: Cube,
	account: string,
	flow: string,
	period: string,
	options: { entity?: string; toDate?: boolean; overlay?: Overlay } = {}
) {
	const id = (dimension: { ordinalOfCode(code: string): number | undefined; member(ordinal: number): { id: number } }, code: string) =>
		dimension.member(dimension.ordinalOfCode(code)!).id;
	const [accounts, scenarios, entities, flows] = model.dimensions;
	const view = new View(
		compileQuery(model, {
			slice: {
				[scenarios!.id]: id(scenarios!, 'Plan'),
				[entities!.id]: id(entities!, options.entity ?? 'Home'),
				[flows!.id]: id(flows!, flow)
			},
			rows: [{ [accounts!.id]: id(accounts!, account) }],
			columns: [{ [model.periods.dimension.id]: id(model.periods.dimension, period) }],
			currency: 'EUR',
			...(options.toDate && { toDate: ['year' as const] })
		})
	);
	view.fill(new Reader(cube, options.overlay ? [options.overlay] : []));
	return view.evaluate().values[0]!;
}

const address = (account: string, flow: string, entity = 'Home') =>
	Int32Array.from([account, 'Plan', entity, flow], (code, axis) => model.dimensions[axis]!.ordinalOfCode(code)!);

/** April opens with 100 and gains 10; May opens with 110, gains 20 and loses 5. */
function balances(account: string, entity = 'Home'): Cube {
	const cube = new Cube(model);
	const write = (flow: string, position: number, value: number) => cube.writeCell(2, address(account, flow, entity), 2027, position, value);
	write('Opening', 0, 100);
	write('Moved', 0, 10);
	write('Opening', 1, 110);
	write('Moved', 1, 20);
	write('Lost', 1, 5);
	write('Counted', 0, 109);
	write('Counted', 1, 124);
	return cube;
}

describe('over periods a member that opens, moves or closes goes before the account', () => {
	test.each(['Cash', 'Sales', 'Own', 'Heads', 'Net'])('%s: the year opens with 100, moves by 30, loses 5 and closes at 125', (account) => {
		const cube = balances(account === 'Net' ? 'Cash' : account);
		expect(['Opening', 'Moved', 'Lost', 'Counted', 'Closing'].map((flow) => show(cube, account, flow, 'FY2027'))).toEqual([
			100, 30, 5, 124, 125
		]);
		expect(['2026-04', '2026-05'].map((month) => show(cube, account, 'Closing', month))).toEqual([110, 125]);
	});

	test('a member that says nothing leaves the account as it is', () => {
		const cube = new Cube(model);
		for (const account of ['Cash', 'Sales'])
			for (const position of [0, 1]) cube.writeCell(2, address(account, 'Plain'), 2027, position, 10 + position);
		expect(['Cash', 'Sales'].map((account) => show(cube, account, 'Plain', 'FY2027'))).toEqual([11, 21]);
	});

	test('to date: what opened the year, and all that moved since', () => {
		expect(['Opening', 'Moved', 'Closing'].map((flow) => show(balances('Cash'), 'Cash', flow, '2026-05', { toDate: true }))).toEqual([
			100, 30, 125
		]);
	});
});

describe('it decides the rates', () => {
	test.each(['Cash', 'Sales', 'Own'])(
		'%s: opening at the closing rate before, movements on average, a closing balance at its own',
		(account) => {
			const cube = balances(account, 'Away');
			const at = (flow: string, period: string) => show(cube, account, flow, period, { entity: 'Away' });
			expect(['2026-04', '2026-05', 'FY2027'].map((period) => at('Opening', period))).toEqual([200, 440, 200]);
			expect(['2026-04', '2026-05', 'FY2027'].map((period) => at('Moved', period))).toEqual([30, 100, 130]);
			expect(['2026-04', 'FY2027'].map((period) => at('Counted', period))).toEqual([436, 992]);
			expect(at('Closing', 'FY2027')).toBe(200 + 130 - 25);
		}
	);

	test('an account that names its rates keeps them: historical everywhere', () => {
		const cube = balances('Paid in', 'Away');
		expect(['Opening', 'Moved', 'Counted'].map((flow) => show(cube, 'Paid in', flow, '2026-05', { entity: 'Away' }))).toEqual([
			770, 140, 868
		]);
	});

	test('a price beside an opening balance is still a price, weighed by what opened: (1·100 + 4·110) ÷ 210', () => {
		const cube = balances('Cash');
		cube.writeCell(2, address('Tariff', 'Opening'), 2027, 0, 1);
		cube.writeCell(2, address('Tariff', 'Opening'), 2027, 1, 4);
		expect(show(cube, 'Tariff', 'Opening', 'FY2027')).toBeCloseTo(540 / 210, 12);
	});
});

describe('typed at the year', () => {
	const type = (flow: string, text: string) => {
		const cube = balances('Cash');
		const overlay = new Overlay(model);
		const { range } = { range: model.periods.range(model.periods.dimension.ordinalOfCode('FY2027')!) };
		const found = enter(
			{
				reader: new Reader(cube, [overlay]),
				guard: new WriteGuard(model, { mayEnter: true, grants: [{ name: 'All', level: 'write', slice: {} }] })
			},
			{
				members: address('Cash', flow),
				range,
				shown: show(cube, 'Cash', flow, 'FY2027'),
				currency: 'EUR',
				input: parseEntry(text, { decimal: '.', group: ',' })
			}
		);
		if ('fault' in found) return found.fault.message;
		return found.changes.map(({ position, after }) => [position, after]);
	};

	test('what opens is set in the first period, what moves is spread, what closes is set in the last of the span', () => {
		expect(type('Opening', '50')).toEqual([[0, 50]]);
		expect(type('Moved', '60')).toEqual([
			[0, 20],
			[1, 40]
		]);
		expect(type('Counted', '130')).toEqual([[1, 130]]);
	});

	test('at the total of an opening and what moved it is refused: either could be meant', () => {
		expect(type('Closing', '500')).toMatch(/Flows and balances lie beneath/);
	});
});

describe('in scripts', () => {
	const run = (statement: string, month = '2026-05') => {
		const world = new RunbookWorld(model);
		for (const [flow, position, value] of [
			['Opening', '2026-04', 100],
			['Moved', '2026-04', 10],
			['Opening', '2026-05', 110],
			['Moved', '2026-05', 20],
			['Lost', '2026-05', 5]
		] as const)
			world.write(2, ['Cash', 'Plan', 'Home', flow], position, value);
		world.write(2, ['Sales', 'Plan', 'Home', 'Plain'], '2026-05', 1);
		world.run({ id: 1, steps: [world.formula(1, `within Flow: Plain, Period: "2026-05"\n  Own = ${statement} + 0 * Sales\nend`)] });
		return world.read(['Own', 'Plan', 'Home', 'Plain'], month);
	};

	test.each([
		['Cash{Flow: Opening, Year: total}', 100],
		['Cash{Flow: Moved, Year: total}', 30],
		['todate(Cash{Flow: Moved}, Year)', 30],
		['Cash{Flow: Closing, Year: total}', 125],
		['todate(Cash{Flow: Closing}, Year)', 125],
		['Net{Flow: Closing, Year: total}', 125],
		['sum(Cash{Year: total} over under Closing)', 135],
		['max(Cash{Year: total} over children of Closing)', 100]
	])('%s is %d', (read, expected) => {
		expect(run(read)).toBe(expected);
	});
});
