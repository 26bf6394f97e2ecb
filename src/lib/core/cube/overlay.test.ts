import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel, randomModel } from '../testing';
import { CLEARED, Cube, mergeOverlay, movedBeneath, NOTHING, Overlay, Reader } from '.';

const setUp = () => {
	const model = buildModel({ accounts: [{ code: 'sales', account: {} }], scenarios: [{ code: 'plan' }] });
	const cube = new Cube(model);
	return { model, cube, overlay: new Overlay(model), seen: new Overlay(model) };
};
const CELL = [0, 0];

describe('an overlay', () => {
	test('lists, copies and resets its changes; the copy keeps its own', () => {
		const { overlay } = setUp();
		for (const position of [0, 1, 2]) overlay.set(CELL, 2027, position, position * 10);
		const copy = overlay.copy();
		expect(overlay.reset(({ position }) => position > 0)).toBe(2);
		expect(overlay.list().map(({ position, value }) => [position, value])).toEqual([[0, 0]]);
		expect(copy.list()).toHaveLength(3);
		expect(overlay.reset()).toBe(1);
		expect(overlay.size).toBe(0);
	});

	test('may show nothing where something is stored', () => {
		const { cube, overlay } = setUp();
		cube.writeCell(2, CELL, 2027, 0, 5);
		overlay.set(CELL, 2027, 0, NOTHING);
		expect(new Reader(cube, [overlay]).read(CELL, 2027, 0)).toBeNaN();
		expect(overlay.size).toBe(1);
		overlay.set(CELL, 2027, 0, Number.NaN);
		expect(new Reader(cube, [overlay]).read(CELL, 2027, 0)).toBe(5);
	});

	test('knows at any moment where it has cells, as if it looked through all of them', () => {
		fc.assert(
			fc.property(
				randomModel,
				fc.array(
					fc.tuple(fc.nat(), fc.oneof(fc.integer({ min: 1, max: 9 }), fc.constant(CLEARED), fc.constant(NOTHING), fc.constant(Number.NaN))),
					{
						maxLength: 40
					}
				),
				({ model, cells }, changes) => {
					const overlay = new Overlay(model);
					// Asked for before anything is there: from here on it is kept along.
					const kept = overlay.drafted;
					for (const [pick, value] of cells.length === 0 ? [] : changes) {
						const { address, period } = cells[pick % cells.length]!;
						const { fiscalYear, position } = model.periods.leaf(period);
						overlay.set(address, fiscalYear, position, value);
						expect(kept.state()).toEqual(overlay.copy().drafted.state());
					}
					overlay.reset();
					expect(kept.state()).toEqual({ addresses: [], distinct: model.dimensions.map(() => 0) });
				}
			)
		);
	});

	test('reads like the cube it is merged into', () => {
		fc.assert(
			fc.property(
				randomModel,
				fc.array(fc.tuple(fc.nat(), fc.oneof(fc.integer({ min: -500, max: 500 }), fc.constant(CLEARED))), { maxLength: 20 }),
				({ model, cells }, changes) => {
					const cube = new Cube(model);
					const overlay = new Overlay(model);
					for (const { origin, address, period, value, stamp } of cells) {
						const { fiscalYear, position } = model.periods.leaf(period);
						cube.writeCell(origin, address, fiscalYear, position, value, stamp);
					}
					for (const [pick, value] of cells.length === 0 ? [] : changes) {
						const { address, period } = cells[pick % cells.length]!;
						const { fiscalYear, position } = model.periods.leaf(period);
						overlay.set(address, fiscalYear, position, value);
					}
					const shown = overlay.list().map(({ address, year, position }) => new Reader(cube, [overlay]).read(address, year, position));
					const { entries, conflicts } = mergeOverlay(new Reader(cube), overlay, new Overlay(model));
					expect(conflicts).toEqual([]);
					for (const { address, year, position, entry } of entries) cube.writeCell(1, address, year, position, entry);
					entries.forEach(({ address, year, position }, index) => {
						const now = cube.read(address, year, position);
						if (Number.isNaN(shown[index])) expect(now).toBeNaN();
						else expect(now).toBeCloseTo(shown[index]!, 9);
					});
				}
			),
			{ numRuns: 100 }
		);
	});
});

describe('merging', () => {
	test('shows a cell whose base has moved, and takes what was decided', () => {
		const { cube, overlay, seen } = setUp();
		cube.writeCell(2, CELL, 2027, 0, 100);
		overlay.set(CELL, 2027, 0, 130);
		seen.set(CELL, 2027, 0, 100);
		overlay.set(CELL, 2027, 1, 5);
		seen.set(CELL, 2027, 1, CLEARED);
		expect(mergeOverlay(new Reader(cube), overlay, seen)).toMatchObject({
			entries: [
				{ position: 0, entry: 130 },
				{ position: 1, entry: 5 }
			],
			conflicts: []
		});
		cube.writeCell(1, CELL, 2027, 0, 110);
		cube.writeCell(2, CELL, 2027, 1, 7);
		expect(mergeOverlay(new Reader(cube), overlay, seen).conflicts).toMatchObject([
			{ position: 0, seen: 100, now: 110, value: 130 },
			{ position: 1, seen: Number.NaN, now: 7, value: 5 }
		]);
		const decided = mergeOverlay(new Reader(cube), overlay, seen, ({ position }) => (position === 0 ? 'mine' : 'theirs'));
		expect(decided).toMatchObject({ entries: [{ position: 0, entry: 130 }], conflicts: [] });
	});
	test('stores typed totals less what steps add', () => {
		const { cube, overlay, seen } = setUp();
		cube.writeCell(4, CELL, 2027, 0, 20);
		overlay.set(CELL, 2027, 0, 130);
		expect(mergeOverlay(new Reader(cube), overlay, seen).entries).toMatchObject([{ entry: 110 }]);
	});
});

describe('entries whose ground has moved', () => {
	test('are listed with what was typed, what stood beneath then, and what stands there now', () => {
		const { cube } = setUp();
		const note = (position: number, beneath: number) => ({ address: CELL, year: 2027, position, beneath });
		for (const position of [0, 1, 2, 3]) {
			cube.writeCell(2, CELL, 2027, position, 100);
			cube.writeCell(1, CELL, 2027, position, 120);
		}
		const notes = [note(0, 100), note(1, 100), note(2, 100), note(3, Number.NaN), note(5, 1)];
		cube.writeCell(2, CELL, 2027, 0, 110);
		cube.writeCell(2, CELL, 2027, 1, 100.004);
		cube.writeCell(4, CELL, 2027, 2, 3);
		expect(movedBeneath(cube, notes)).toMatchObject([
			{ position: 0, typed: 120, beneath: 100, now: 110 },
			{ position: 2, beneath: 100, now: 103 },
			{ position: 3, beneath: Number.NaN, now: 100 }
		]);
	});
});
