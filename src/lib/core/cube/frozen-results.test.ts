import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Model } from '../model';
import { fuelledModel, fillCube, naiveCell, randomModel, type StoredCell, topView } from '../testing';
import { Cube, freeze, FrozenResults, LeafReader, NOTHING, Overlay, Reader, restate } from '.';

const [LITRES, PRICE, FUEL, MARGIN] = [0, 1, 2, 3];
const APRIL = 0;

/** Ten, twenty and thirty litres on three routes at 2; r1 is closed, and what it comes to frozen. */
function closedRoute() {
	const model = fuelledModel();
	const cube = new Cube(model);
	[1, 2, 3].forEach((route) => cube.writeCell(2, [LITRES, 0, route], 2027, APRIL, route * 10));
	cube.writeCell(2, [PRICE, 0, 4], 2027, APRIL, 2);
	model.frozen = freeze(cube, (address) => address[2] === 1);
	return { model, cube };
}
const shown = (model: Model, cube: Cube, account: number, route: number, layers: Overlay[] = []) =>
	new LeafReader(model, new Reader(cube, layers).read).value(Int32Array.from([account, 0, route]), 2027, APRIL);
function april(model: Model, view: ReturnType<typeof topView>, account: number) {
	const at = account * model.periods.dimension.members.length + model.periods.dimension.ordinalOfCode('2026-04')!;
	return view.evaluate().values[at];
}

describe('a closed slice, its results frozen', () => {
	test('stays as it was when a price outside it moves; what is open follows, totals with it', () => {
		const { model, cube } = closedRoute();
		const view = topView(model);
		view.fill(new Reader(cube));
		expect([april(model, view, FUEL), april(model, view, MARGIN)]).toEqual([120, -120]);
		cube.writeCell(2, [PRICE, 0, 4], 2027, APRIL, 3);
		view.change({ address: [PRICE, 0, 4], year: 2027, position: APRIL, before: 2, after: 3 });
		// 20 of r1 as they were; 20 × 3 and 30 × 3.
		expect([april(model, view, FUEL), april(model, view, MARGIN)]).toEqual([170, -170]);
		const anew = topView(model);
		anew.fill(new Reader(cube));
		expect([april(model, anew, FUEL), april(model, anew, MARGIN)]).toEqual([170, -170]);
		expect([shown(model, cube, FUEL, 1), shown(model, cube, MARGIN, 1), shown(model, cube, FUEL, 2)]).toEqual([20, -20, 60]);
	});

	test('stays empty where it was empty, though a price comes now', () => {
		const model = fuelledModel();
		const cube = new Cube(model);
		cube.writeCell(2, [LITRES, 0, 1], 2027, APRIL, 10);
		model.frozen = freeze(cube, () => true);
		expect(model.frozen.get([FUEL, 0, 1], 2027, APRIL)).toBe(NOTHING);
		cube.writeCell(2, [PRICE, 0, 4], 2027, APRIL, 3);
		expect(shown(model, cube, FUEL, 1)).toBeNaN();
		const view = topView(model);
		view.fill(new Reader(cube));
		expect(april(model, view, FUEL)).toBeNaN();
	});

	test('stays though what it followed from is gone', () => {
		const { model, cube } = closedRoute();
		cube.writeCell(2, [LITRES, 0, 1], 2027, APRIL, Number.NaN);
		const view = topView(model);
		view.fill(new Reader(cube));
		expect([april(model, view, FUEL), shown(model, cube, FUEL, 1)]).toEqual([120, 20]);
	});

	test('is not moved by a draft of the price', () => {
		const { model, cube } = closedRoute();
		const draft = new Overlay(model);
		const view = topView(model);
		view.fill(new Reader(cube, [draft]));
		draft.set([PRICE, 0, 4], 2027, APRIL, 5);
		view.change({ address: [PRICE, 0, 4], year: 2027, position: APRIL, before: 2, after: 5 });
		expect(april(model, view, FUEL)).toBe(20 + 100 + 150);
		expect(shown(model, cube, FUEL, 1, [draft])).toBe(20);
	});

	test('frozen again after more was closed, what was frozen keeps its value; opened, it follows again', () => {
		const { model, cube } = closedRoute();
		cube.writeCell(2, [PRICE, 0, 4], 2027, APRIL, 3);
		model.frozen = freeze(cube, (address) => address[2]! <= 2);
		expect([1, 2, 3].map((route) => shown(model, cube, FUEL, route))).toEqual([20, 60, 90]);
		model.frozen = freeze(cube, (address) => address[2] === 2);
		expect([1, 2, 3].map((route) => shown(model, cube, FUEL, route))).toEqual([30, 60, 90]);
	});

	test('restated by another formula it takes that, and only where that moves it', () => {
		const { model, cube } = closedRoute();
		cube.writeCell(2, [PRICE, 0, 4], 2027, APRIL, 3);
		const frozen = model.frozen as FrozenResults;
		// The same formula: the price that moved meanwhile is not taken in by the way.
		expect(restate(cube, frozen, fuelledModel(), fuelledModel()).get([FUEL, 0, 1], 2027, APRIL)).toBe(20);
		const twice = restate(cube, frozen, fuelledModel(), fuelledModel(2));
		expect([twice.get([FUEL, 0, 1], 2027, APRIL), twice.get([MARGIN, 0, 1], 2027, APRIL)]).toEqual([60, -60]);
	});

	test('of any model closed cells are as they were, open ones as the formulas say, stored or drafted, filled or followed', () => {
		let compared = 0;
		fc.assert(
			fc.property(randomModel, fc.nat(1000), fc.boolean(), ({ model, cells }, seed, whole) => {
				const isClosed = (address: ArrayLike<number>, leaf: number) =>
					whole || (Array.from(address).reduce((sum, ordinal) => sum * 3 + ordinal, seed) + leaf * 5) % 4 < 2;
				const cube = fillCube(model, cells);
				const kept = freeze(cube, isClosed);
				const stored = FrozenResults.of(model, kept.blocks());
				expect(stored?.size ?? 0).toBe(kept.size);
				const was = new LeafReader(model, new Reader(cube).read);
				kept.each((address, year, position, value) => {
					expect(isClosed(address, model.periods.at(year, position)!.index)).toBe(true);
					const formula = model.live.at(
						address[model.accountAxis]!,
						address[model.scenarioAxis]!,
						model.periods.at(year, position)!.index
					)!;
					const now = was.compute(formula, address.slice(), year, position);
					if (value === NOTHING) expect(now).toBeNaN();
					else {
						expect(now).toBe(value);
						compared++;
					}
				});
				model.frozen = stored;
				const view = topView(model);
				view.fill(new Reader(cube));
				// Everything moves, closed or not: what is frozen must not.
				const moved: StoredCell[] = cells.map((cell, at) => ({ ...cell, value: cell.value * (at % 3 === 0 ? 1 : 2) + 1 }));
				const after = fillCube(model, cells);
				for (const { origin, address, period, value, stamp } of moved) {
					const { fiscalYear, position } = model.periods.leaf(period);
					for (const each of [cube, after]) {
						const before = each.read(address, fiscalYear, position);
						each.writeCell(origin, address, fiscalYear, position, value, stamp);
						if (each === cube)
							view.change({ address, year: fiscalYear, position, before, after: each.read(address, fiscalYear, position) });
					}
				}
				const anew = topView(model);
				anew.fill(new Reader(after));
				const all = [...lastOf(cells, moved)];
				const columns = model.periods.dimension.members.length;
				const [followed, filled] = [view.evaluate().values, anew.evaluate().values];
				for (let account = 0; account < model.accounts.members.length; account++)
					for (let period = 0; period < columns; period++) {
						const wanted = naiveCell(model, all, model.dimensions.map(() => 0).with(model.accountAxis, account), period, 'EUR').value;
						const where = `${model.accounts.member(account).code} at ${model.periods.dimension.member(period).code}`;
						for (const values of [followed, filled])
							if (wanted === undefined) expect(values[account * columns + period], where).toBeNaN();
							else {
								expect(values[account * columns + period], where).toBeCloseTo(wanted, 5);
							}
					}
				model.frozen = undefined;
			}),
			{ numRuns: 50 }
		);
		expect(compared).toBeGreaterThan(20);
	});
});

/** What cells hold when a second list has been written over them. */
function lastOf(cells: readonly StoredCell[], moved: readonly StoredCell[]): Iterable<StoredCell> {
	const last = new Map<string, StoredCell>();
	for (const cell of [...cells, ...moved]) last.set(`${cell.origin} ${cell.address.join()} ${cell.period}`, cell);
	return last.values();
}
