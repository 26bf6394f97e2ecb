import { expect, test } from 'vitest';
import { buildModel } from '../testing';
import { compileQuery, Cube, Reader, View } from '.';

/** Weighted totals and opening balances, worked by hand. */
const model = buildModel({
	accounts: [
		{ code: 'base', account: { valueType: 'quantity' } },
		{
			code: 'weight',
			account: { valueType: 'quantity' },
			perLeaf: {},
			formula: (account) => ({ kind: 'binary', operator: '*', left: account('base'), right: { kind: 'number', value: 2 } })
		},
		{ code: 'price', weigher: 'weight', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'weighted by' } },
		{ code: 'mood', weigher: 'base', account: { valueType: 'percent', timeBehaviour: 'latest', consolidation: 'weighted by' } },
		{ code: 'opening', account: { kind: 'asset', timeBehaviour: 'opening' } }
	],
	scenarios: [{ code: 'plan', laterRates: '2026-07' }],
	entities: [{ code: 'north', currency: 'NOK' }],
	general: { route: [{ code: 'all' }, { code: 'r1', parent: 'all' }, { code: 'r2', parent: 'all' }] },
	rates: (['average', 'closing'] as const).map((kind) => ({ currency: 'NOK', kind, from: '2026-01-01', to: '2028-12-31', value: 10 })),
	otherRates: (['average', 'closing'] as const).map((kind) => ({ currency: 'NOK', kind, from: '2026-01-01', to: '2028-12-31', value: 20 }))
});
const at = (account: string, route: string) => [model.accounts.ordinalOfCode(account)!, 0, 0, model.dimensions[3]!.ordinalOfCode(route)!];
function show(cube: Cube, account: string, period: string, currency = 'local', route = 'all'): number {
	const id = (axis: number, ordinal: number) => model.dimensions[axis]!.member(ordinal).id;
	const [of, ...others] = at(account, route);
	const view = new View(
		compileQuery(model, {
			slice: Object.fromEntries(others.map((ordinal, place) => [model.dimensions[place + 1]!.id, id(place + 1, ordinal)])),
			rows: [{ [model.accounts.id]: id(0, of!) }],
			columns: [{ [model.periods.dimension.id]: model.periods.dimension.member(model.periods.dimension.ordinalOfCode(period)!).id }],
			currency
		})
	);
	view.fill(new Reader(cube));
	return view.evaluate().values[0]!;
}

test('weighed by an account that a live formula computes: 1 at 30 and 2 at 90 make 1.75, stale stored weights or not', () => {
	const cube = new Cube(model);
	for (const [route, price, base] of [
		['r1', 1, 15],
		['r2', 2, 45]
	] as const) {
		cube.writeCell(2, at('price', route), 2027, 0, price);
		cube.writeCell(2, at('base', route), 2027, 0, base);
		cube.writeCell(2, at('weight', route), 2027, 0, 1);
	}
	expect(show(cube, 'price', '2026-04')).toBe(1.75);
});

test('last values weighed by the same stretch: 10 % over 3 and 30 % over 1 make 15 %', () => {
	const cube = new Cube(model);
	for (const [position, value] of [
		[0, 0.5],
		[1, 0.1]
	] as const)
		cube.writeCell(2, at('mood', 'r1'), 2027, position, value);
	cube.writeCell(2, at('mood', 'r2'), 2027, 0, 0.3);
	for (const [route, position, value] of [
		['r1', 0, 1],
		['r1', 2, 2],
		['r2', 2, 1]
	] as const)
		cube.writeCell(2, at('base', route), 2027, position, value);
	expect(show(cube, 'mood', 'FY2027-Q1')).toBeCloseTo(0.15, 12);
});

test('an opening balance where other rates begin is read with those of its own month: 1000 at 10, not at 20', () => {
	const cube = new Cube(model);
	cube.writeCell(2, at('opening', 'r1'), 2027, 3, 1_000);
	expect(show(cube, 'opening', '2026-07', 'EUR', 'r1')).toBe(100);
});
