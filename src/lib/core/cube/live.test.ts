import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import type { Model } from '../model';
import { buildModel, naiveCell, randomModel, type StoredCell } from '../testing';
import { compileQuery, Cube, Overlay, View } from '.';

/** Every account down the rows, leaf periods across, at the top of everything else. */
function openTop(model: Model): View {
	const slice: Record<number, number> = {};
	model.dimensions.forEach((dimension, axis) => {
		if (axis !== model.accountAxis) slice[dimension.id] = dimension.member(0).id;
	});
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

const fuelled = () =>
	buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'none' } },
			{
				code: 'fuel',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price', { route: 'none' }) })
			},
			{
				code: 'margin',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'negative', of: account('fuel') })
			}
		],
		scenarios: [{ code: 'plan' }],
		general: { route: [{ code: 'all' }, ...['r1', 'r2', 'r3', 'none'].map((code) => ({ code, parent: 'all' }))] }
	});

describe('what is read at a fixed place', () => {
	const april = (model: Model, view: View, code: string) => {
		const columns = model.periods.dimension.members.length;
		return view.evaluate().values[model.accounts.ordinalOfCode(code)! * columns + model.periods.dimension.ordinalOfCode('2026-04')!];
	};

	test('one price moves every result that reads it, and what follows from them', () => {
		const model = fuelled();
		const cube = new Cube(model);
		[1, 2, 3].forEach((route) => cube.writeCell(2, [0, 0, route], 2027, 0, route * 10));
		cube.writeCell(2, [1, 0, 4], 2027, 0, 2);
		const view = openTop(model);
		view.fill(cube);
		expect([april(model, view, 'fuel'), april(model, view, 'margin')]).toEqual([120, -120]);
		cube.writeCell(2, [1, 0, 4], 2027, 0, 3);
		view.change([1, 0, 4], 2027, 0, 2, 3);
		expect([april(model, view, 'fuel'), april(model, view, 'margin')]).toEqual([180, -180]);
		// A price elsewhere is nobody's price.
		cube.writeCell(2, [1, 0, 1], 2027, 0, 99);
		view.change([1, 0, 1], 2027, 0, Number.NaN, 99);
		expect(april(model, view, 'fuel')).toBe(180);
	});

	test('a drafted price meets stored and drafted litres', () => {
		const model = fuelled();
		const cube = new Cube(model);
		cube.writeCell(2, [0, 0, 1], 2027, 0, 10);
		cube.writeCell(2, [1, 0, 4], 2027, 0, 2);
		const overlay = new Overlay(model);
		const view = openTop(model);
		view.fill(cube, overlay);
		const type = (address: number[], value: number) => {
			const before = overlay.read(cube, address, 2027, 0);
			overlay.set(address, 2027, 0, value);
			view.change(address, 2027, 0, before, value);
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
				for (const { origin, address, period, value } of stored) {
					const { fiscalYear, position } = model.periods.leaf(period);
					cube.writeCell(origin, address, fiscalYear, position, value);
				}
				const overlay = new Overlay(model);
				const view = openTop(model);
				view.fill(cube, overlay);
				const entries = new Map<string, StoredCell>();
				for (const cell of typed) {
					const { fiscalYear, position } = model.periods.leaf(cell.period);
					const before = overlay.read(cube, cell.address, fiscalYear, position);
					overlay.set(cell.address, fiscalYear, position, cell.value);
					view.change(cell.address, fiscalYear, position, before, cell.value);
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
