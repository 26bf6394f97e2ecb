import { describe, expect, test } from 'vitest';
import { CellFlag, compileQuery, Cube, Reader, View } from '../cube';
import { buildModel } from '../testing';
import { RateTable } from '.';

const rate = (currency: string, kind: 'average' | 'closing', from: string, to: string, value: number) => ({
	currency,
	kind,
	from,
	to,
	value
});
const table = new RateTable({
	id: 1,
	name: 'Rates',
	pivot: 'EUR',
	rates: [
		rate('GBP', 'average', '2026-04-01', '2026-04-10', 0.8),
		rate('GBP', 'average', '2026-04-11', '2026-04-30', 0.86),
		rate('NOK', 'average', '2026-04-01', '2026-04-30', 11.5),
		rate('GBP', 'closing', '2026-04-30', '2026-04-30', 0.85)
	]
});

describe('rates', () => {
	test('an average is weighted by days', () =>
		expect(table.factor('GBP', 'EUR', 'average', '2026-04-01', '2026-04-30')).toBeCloseTo(1 / ((10 * 0.8 + 20 * 0.86) / 30), 12));
	test('pairs are crossed through the pivot', () =>
		expect(table.factor('NOK', 'GBP', 'average', '2026-04-11', '2026-04-30')).toBeCloseTo(0.86 / 11.5, 12));
	test('a period only partly covered has no average', () =>
		expect(table.factor('GBP', 'EUR', 'average', '2026-04-15', '2026-05-15')).toBeNaN());
	test('closing takes the latest on or before the end, while it is not too old', () => {
		expect(table.factor('GBP', 'EUR', 'closing', '2026-05-01', '2026-05-31')).toBeCloseTo(1 / 0.85, 12);
		expect(table.factor('GBP', 'EUR', 'closing', '2026-04-01', '2026-04-29')).toBeNaN();
		expect(table.factor('GBP', 'EUR', 'closing', '2026-12-01', '2026-12-31')).toBeNaN();
		// 62 days after it the rate of 30 April still holds, a day later no more.
		expect(table.factor('GBP', 'EUR', 'closing', '2026-06-08', '2026-07-01')).toBeCloseTo(1 / 0.85, 12);
		expect(table.factor('GBP', 'EUR', 'closing', '2026-06-08', '2026-07-02')).toBeNaN();
	});
	test('a currency against itself is 1, even without rates', () =>
		expect(table.factor('SEK', 'SEK', 'average', '2026-04-01', '2026-04-30')).toBe(1));
});

describe('what decides the rate', () => {
	const model = buildModel({
		accounts: [
			{ code: 'shares', account: { kind: 'equity', timeBehaviour: 'closing' } },
			{ code: 'sales', account: { timeBehaviour: 'flow', rateKind: 'closing' } },
			{ code: 'fees', account: { timeBehaviour: 'flow' } }
		],
		scenarios: [{ code: 'plan' }],
		entities: [{ code: 'uk', currency: 'GBP' }],
		rates: [
			{ ...rate('GBP', 'closing', '2026-04-30', '2026-04-30', 0.5), kind: 'historical' as const, from: '2019-01-01' },
			rate('GBP', 'closing', '2026-04-30', '2026-04-30', 0.8),
			rate('GBP', 'average', '2026-04-01', '2026-04-30', 0.9)
		],
		otherRates: [rate('GBP', 'average', '2026-04-01', '2027-03-31', 0.75), rate('GBP', 'closing', '2026-04-30', '2026-04-30', 0.6)]
	});
	const cube = new Cube(model);
	for (const account of [0, 1, 2]) cube.writeSeries(2, [account, 0, 0], 2027, [90, 90]);
	const open = (account: number, period: string, rateSet?: number) => {
		const view = new View(
			compileQuery(model, {
				slice: { 3: model.scenarios.member(0).id, 4: model.dimensions[2]!.member(0).id },
				rows: [{ 1: model.accounts.member(account).id }],
				columns: [{ 2: model.periods.dimension.member(model.periods.dimension.ordinalOfCode(period)!).id }],
				currency: 'EUR',
				rateSet
			})
		);
		view.fill(new Reader(cube));
		return { value: view.evaluate().values[0]!, missing: view.missingRates };
	};
	test('equity goes by historical rates, however old', () => expect(open(0, '2026-04').value).toBeCloseTo(180, 9));
	test('an account may name its own kind', () => expect(open(1, '2026-04').value).toBeCloseTo(112.5, 9));
	test('any scenario can be read at another set: at constant rates', () => {
		expect(open(2, '2026-04').value).toBeCloseTo(100, 9);
		expect(open(2, '2026-04', 2).value).toBeCloseTo(120, 9);
		expect(open(2, '2026-05', 2).value).toBeCloseTo(120, 9);
	});
	test('missing rates are listed with pair, kind, set and dates', () => {
		const { value, missing } = open(2, '2026-05');
		expect(value).toBeNaN();
		expect(missing).toEqual([{ from: 'GBP', to: 'EUR', use: 'average', rateSet: 'Rates', start: '2026-05-01', end: '2026-05-31' }]);
	});
});

describe('translation of a foreign line (IAS 21: flows at average, balances at closing rates)', () => {
	const months = ['2026-04', '2026-05', '2026-06'];
	const ends = ['2026-04-30', '2026-05-31', '2026-06-30'];
	const averages = [0.8, 0.85, 0.9];
	const closings = [0.82, 0.88, 0.91];
	const model = buildModel({
		accounts: [
			{ code: 'sales', account: { timeBehaviour: 'flow' } },
			{ code: 'loan', account: { kind: 'liability', timeBehaviour: 'closing' } },
			{ code: 'opening', account: { kind: 'liability', timeBehaviour: 'opening' } },
			{ code: 'litres', account: { valueType: 'quantity' } }
		],
		scenarios: [{ code: 'plan' }],
		entities: [{ code: 'group' }, { code: 'uk', parent: 'group', currency: 'GBP' }, { code: 'de', parent: 'group', currency: 'EUR' }],
		rates: months.flatMap((month, index) => [
			rate('GBP', 'average', `${month}-01`, ends[index]!, averages[index]!),
			rate('GBP', 'closing', ends[index]!, ends[index]!, closings[index]!)
		])
	});
	const cube = new Cube(model);
	for (const account of [0, 1, 2, 3]) {
		cube.writeSeries(2, [account, 0, 1], 2027, [800, 850, 900]);
		cube.writeSeries(2, [account, 0, 2], 2027, [10, 20, 30]);
	}
	const read = (account: number, entity: number, period: string, currency: string) => {
		const view = new View(
			compileQuery(model, {
				slice: { 3: model.scenarios.member(0).id, 4: model.dimensions[2]!.member(entity).id },
				rows: [{ 1: model.accounts.member(account).id }],
				columns: [{ 2: model.periods.dimension.member(model.periods.dimension.ordinalOfCode(period)!).id }],
				currency
			})
		);
		view.fill(new Reader(cube));
		const { values, flags } = view.evaluate();
		return { value: values[0]!, flags: flags[0]! };
	};

	test('a quarter of sales adds each month at its own average', () =>
		expect(read(0, 0, 'FY2027-Q1', 'EUR').value).toBeCloseTo(800 / 0.8 + 850 / 0.85 + 900 / 0.9 + 60, 9));
	test('a balance is the last month at its closing rate', () =>
		expect(read(1, 0, 'FY2027-Q1', 'EUR').value).toBeCloseTo(900 / 0.91 + 30, 9));
	test('an opening balance uses the closing rate before the period', () =>
		expect(read(2, 1, '2026-05', 'EUR').value).toBeCloseTo(850 / 0.82, 9));
	test('quantities are never translated', () => expect(read(3, 0, 'FY2027-Q1', 'EUR').value).toBe(800 + 850 + 900 + 60));
	test('in local, one currency shows as stored and several are blank with the reason', () => {
		expect(read(0, 1, 'FY2027-Q1', 'local')).toEqual({ value: 2550, flags: 0 });
		const group = read(0, 0, 'FY2027-Q1', 'local');
		expect(group.value).toBeNaN();
		expect(group.flags).toBe(CellFlag.mixedCurrency);
	});
	test('a missing rate is said, not taken as zero', () => {
		cube.writeCell(2, [0, 0, 1], 2027, 3, 1000);
		const july = read(0, 0, '2026-07', 'EUR');
		expect(july.value).toBeNaN();
		expect(july.flags).toBe(CellFlag.incomplete);
		expect(read(0, 0, 'FY2027', 'EUR').flags).toBe(CellFlag.incomplete);
	});
});
