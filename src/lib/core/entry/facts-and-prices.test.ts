import { describe, expect, test } from 'vitest';
import { LockTable, WriteGuard, type AccessRules, type Lock } from '../access';
import { Cube, Reader } from '../cube';
import { EMPTY } from '../number';
import { buildModel } from '../testing';
import { enter, parseEntry, type SpreadOptions } from '.';

/**
 * What is set alike and never divided: facts of a year in other currencies, and prices of which some may not change. One EUR
 * is 10 NOK until September 2026 and 20 after; the short plan ends with September.
 */
const model = buildModel({
	accounts: [
		{ code: 'Goal', account: { frequency: 'per year', timeBehaviour: 'none', consolidation: 'none' } },
		{ code: 'Fare', account: { valueType: 'price', consolidation: 'average', timeBehaviour: 'none' } },
		{ code: 'Tariff', weigher: 'Litres', account: { valueType: 'price', consolidation: 'weighted by', timeBehaviour: 'none' } },
		{ code: 'Litres', account: { valueType: 'quantity' } }
	],
	scenarios: [
		{ code: 'Plan', entry: ['2026-04', '2028-03'] },
		{ code: 'Short', span: ['2026-04', '2026-09'], entry: ['2026-04', '2026-09'] }
	],
	entities: [{ code: 'Group' }, { code: 'Isle', parent: 'Group', currency: 'NOK' }, { code: 'Coast', parent: 'Group', currency: 'EUR' }],
	general: { Route: [{ code: 'All' }, ...['A', 'B', 'C'].map((code) => ({ code, parent: 'All' }))] },
	rates: (['average', 'closing'] as const).flatMap((kind) => [
		{ currency: 'NOK', kind, from: '2026-04-01', to: '2026-09-30', value: 10 },
		{ currency: 'NOK', kind, from: '2026-10-01', to: '2028-03-31', value: 20 }
	])
});
const at = (...codes: string[]) => Int32Array.from(codes, (code, axis) => model.dimensions[axis]!.ordinalOfCode(code)!);
const all: AccessRules = { mayEnter: true, grants: [{ name: 'All', level: 'write', slice: {} }] };
const closed = (...routes: string[]): Lock[] => [
	{
		id: 1,
		layer: 'board',
		state: 'closed',
		name: 'Board',
		slice: { [model.dimensions[3]!.id]: routes.map((code) => model.dimensions[3]!.member(model.dimensions[3]!.ordinalOfCode(code)!).id) }
	}
];

function type(
	cube: Cube,
	members: string[],
	period: string,
	text: string,
	{ locks = [], shown = EMPTY, ...options }: SpreadOptions & { locks?: Lock[]; shown?: number } = {}
) {
	const outcome = enter(
		{ reader: new Reader(cube), guard: new WriteGuard(model, all, new LockTable(model, locks)) },
		{
			members: at(...members),
			range: model.periods.range(model.periods.dimension.ordinalOfCode(period)!),
			shown,
			currency: 'EUR',
			input: parseEntry(text, { decimal: '.', group: ',' }),
			...options
		}
	);
	if ('fault' in outcome) return outcome.fault.message;
	return Object.fromEntries(
		outcome.changes.map(({ address, after }) => [
			`${model.dimensions[2]!.member(address[2]!).code} ${model.dimensions[3]!.member(address[3]!).code}`,
			Math.round(after * 1e6) / 1e6
		])
	);
}

describe('a fact of the year at a total, in a reporting currency', () => {
	const facts = (scenario: string) => {
		const cube = new Cube(model);
		cube.writeCell(2, at('Goal', scenario, 'Isle', 'A'), 2027, 0, 100);
		cube.writeCell(2, at('Goal', scenario, 'Coast', 'A'), 2027, 0, 7);
		return cube;
	};
	test('each leaf takes what was typed in its own currency, at the rate of the year’s last period', () =>
		expect(type(facts('Plan'), ['Goal', 'Plan', 'Group', 'All'], 'FY2027', '12')).toEqual({ 'Isle A': 240, 'Coast A': 12 }));
	test('or of the last one its scenario speaks about', () =>
		expect(type(facts('Short'), ['Goal', 'Short', 'Group', 'All'], 'FY2027', '12')).toEqual({ 'Isle A': 120, 'Coast A': 12 }));
	test('a change is one of what each shows: 5 and 7 EUR more by 2', () =>
		expect(type(facts('Plan'), ['Goal', 'Plan', 'Group', 'All'], 'FY2027', '+= 2')).toEqual({ 'Isle A': 140, 'Coast A': 9 }));
	test('a share of each', () =>
		expect(type(facts('Plan'), ['Goal', 'Plan', 'Group', 'All'], 'FY2027', '+= 10%')).toEqual({ 'Isle A': 110, 'Coast A': 7.7 }));
});

describe('prices of which some are closed', () => {
	const fares = (account = 'Fare') => {
		const cube = new Cube(model);
		for (const [route, fare, litres] of [
			['A', 10, 1],
			['B', 20, 2],
			['C', 30, 3]
		] as const) {
			cube.writeCell(2, at(account, 'Plan', 'Coast', route), 2027, 0, fare);
			cube.writeCell(2, at('Litres', 'Plan', 'Coast', route), 2027, 0, litres);
		}
		return cube;
	};
	const typed = (text: string, locks: Lock[], account = 'Fare', shown = 20) =>
		type(fares(account), [account, 'Plan', 'Coast', 'All'], '2026-04', text, { locks, shown });
	test('the others take one value that makes the average: (3·30 − 30) ÷ 2', () =>
		expect(typed('30', closed('C'))).toEqual({ 'Coast A': 30, 'Coast B': 30 }));
	test('one alone takes all of it: 3·25 − 20 − 30', () => expect(typed('25', closed('B', 'C'))).toEqual({ 'Coast A': 25 }));
	test('by their weights: (30·6 − 30·3) ÷ 3', () =>
		expect(typed('30', closed('C'), 'Tariff', 140 / 6)).toEqual({ 'Coast A': 30, 'Coast B': 30 }));
	test('weights decide who moves how far: (20·6 − 10·1) ÷ 5', () =>
		expect(typed('20', closed('A'), 'Tariff', 140 / 6)).toEqual({ 'Coast B': 22, 'Coast C': 22 }));
	test('a difference goes to each that may move: the average up by 2 is 3 for two of three', () =>
		expect(typed('+= 2', closed('C'))).toEqual({ 'Coast A': 13, 'Coast B': 23 }));
	test('a factor goes to them in proportion: 20 to 25 is 45 in place of 30', () =>
		expect(typed('*= 1.25', closed('C'))).toEqual({ 'Coast A': 15, 'Coast B': 30 }));
	test('all closed: refused', () => expect(typed('30', closed('A', 'B', 'C'))).toMatch(/closed/));
});
