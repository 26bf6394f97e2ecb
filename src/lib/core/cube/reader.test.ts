import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { ReadGuard } from '../access';
import type { Model } from '../model';
import { isEmpty } from '../number';
import { buildModel, fillCube, randomModel, topView } from '../testing';
import { CLEARED, Cube, leafCells, NOTHING, Overlay, Reader } from '.';

describe('layers, worked by hand', () => {
	const CELL = [0, 0];
	const setUp = () => {
		const model = buildModel({ accounts: [{ code: 'sales', account: {} }], scenarios: [{ code: 'plan' }] });
		const cube = new Cube(model);
		const [draft, trial] = [new Overlay(model), new Overlay(model)];
		return { cube, draft, trial, reader: new Reader(cube, [draft, trial]) };
	};
	const shown = ({ reader }: ReturnType<typeof setUp>) => reader.read(CELL, 2027, 0);

	test('loaded 5, drafted 7, tried 9: shows 9; the trial gone 7; the draft gone 5', () => {
		const scene = setUp();
		scene.cube.writeCell(2, CELL, 2027, 0, 5);
		scene.draft.set(CELL, 2027, 0, 7);
		scene.trial.set(CELL, 2027, 0, 9);
		expect(shown(scene)).toBe(9);
		scene.trial.set(CELL, 2027, 0, Number.NaN);
		expect(shown(scene)).toBe(7);
		scene.draft.set(CELL, 2027, 0, Number.NaN);
		expect(shown(scene)).toBe(5);
	});

	test('loaded 5, entry 6 taken away in the draft: 5; what is tried there says nothing: empty', () => {
		const scene = setUp();
		scene.cube.writeCell(2, CELL, 2027, 0, 5);
		scene.cube.writeCell(1, CELL, 2027, 0, 6);
		scene.draft.set(CELL, 2027, 0, CLEARED);
		expect(shown(scene)).toBe(5);
		scene.trial.set(CELL, 2027, 0, NOTHING);
		expect(shown(scene)).toBeNaN();
	});

	test('drafted 7 over nothing and tried 0: 0, which is not empty', () => {
		const scene = setUp();
		scene.draft.set(CELL, 2027, 0, 7);
		scene.trial.set(CELL, 2027, 0, 0);
		expect(shown(scene)).toBe(0);
	});

	test('a cell in both layers is visited once, with what it shows; those of another year or account are not', () => {
		const { draft, trial, reader } = setUp();
		draft.set(CELL, 2027, 0, 7);
		trial.set(CELL, 2027, 0, 9);
		draft.set(CELL, 2028, 3, 4);
		const visited = (where = {}) => {
			const found: number[] = [];
			reader.eachChanged((_address, _year, _position, value) => found.push(value), where);
			return found.sort();
		};
		expect(visited()).toEqual([4, 9]);
		expect(visited({ year: 2027 })).toEqual([9]);
		expect(visited({ year: 2028, scenario: 0, account: 0 })).toEqual([4]);
		expect(visited({ account: 1 })).toEqual([]);
	});
});

describe('results worked out through layers', () => {
	const model = buildModel({
		accounts: [
			{ code: 'litres', account: { valueType: 'quantity' } },
			{ code: 'price', account: { valueType: 'price', timeBehaviour: 'none', consolidation: 'none' } },
			{
				code: 'fuel',
				account: {},
				perLeaf: {},
				formula: (account) => ({ kind: 'binary', operator: '*', left: account('litres'), right: account('price') })
			}
		],
		scenarios: [{ code: 'plan' }],
		general: { route: [{ code: 'all' }, ...['r1', 'r2'].map((code) => ({ code, parent: 'all' }))] }
	});
	const [LITRES, PRICE] = [0, 1];
	/** Fuel over all routes in the first month. */
	const fuel = (...held: [layer: number, account: number, route: number, value: number][]) => {
		const cube = new Cube(model);
		cube.writeCell(2, [LITRES, 0, 1], 2027, 0, 10);
		cube.writeCell(2, [PRICE, 0, 1], 2027, 0, 2);
		const layers = [new Overlay(model), new Overlay(model)];
		for (const [layer, account, route, value] of held) layers[layer]!.set([account, 0, route], 2027, 0, value);
		const view = topView(model);
		view.fill(new Reader(cube, layers));
		const columns = model.periods.dimension.members.length;
		return view.evaluate().values[2 * columns + model.periods.dimension.ordinalOfCode('2026-04')!];
	};

	test('stored 10 × 2 is 20; 30 litres in the upper layer alone, something else in the lower: 60', () => {
		expect(fuel()).toBe(20);
		expect(fuel([1, LITRES, 1, 30], [0, PRICE, 2, 9])).toBe(60);
		expect(fuel([0, LITRES, 1, 30], [1, PRICE, 2, 9])).toBe(60);
	});

	test('where nothing is stored: 5 litres in one layer at a price of 3 in the other add 15, once', () => {
		expect(fuel([0, LITRES, 2, 5], [1, PRICE, 2, 3])).toBe(35);
		expect(fuel([0, LITRES, 2, 4], [1, LITRES, 2, 5], [0, PRICE, 2, 3])).toBe(35);
	});
});

/** What a random case changes in two layers: by the place of a cell. */
const changes = fc.array(
	fc.record({
		pick: fc.nat(),
		layer: fc.constantFrom(0, 1),
		value: fc.oneof(fc.integer({ min: -9, max: 9 }), fc.constantFrom(CLEARED, NOTHING, Number.NaN))
	}),
	{ minLength: 10, maxLength: 60 }
);

describe('layers on random models', () => {
	test('two layers show what one with the topmost of each cell shows, filled at once and followed change by change', () => {
		fc.assert(
			fc.property(randomModel, changes, fc.nat(), fc.boolean(), ({ model, cells }, made, seed, isRestricted) => {
				fc.pre(cells.length > 0);
				// Some of the changes lie where nothing is stored.
				const cube = fillCube(
					model,
					cells.filter((_, index) => index % 3 > 0)
				);
				const layers = [new Overlay(model), new Overlay(model)];
				const visible = isRestricted ? guardOf(model, seed) : undefined;
				const reader = new Reader(cube, layers, visible);
				const followed = topView(model);
				followed.fill(reader);
				for (const { pick, layer, value } of made) {
					const { address, period } = cells[pick % cells.length]!;
					const { fiscalYear: year, position } = model.periods.leaf(period);
					const before = reader.read(address, year, position);
					layers[layer]!.set(address, year, position, value);
					followed.change({ address, year, position, before, after: reader.read(address, year, position) });
				}
				const one = new Overlay(model);
				for (const layer of layers) layer.each((address, year, position, value) => one.set(address, year, position, value));
				const flat = new Reader(cube, [one], visible);
				const filled = topView(model);
				filled.fill(flat);
				const again = topView(model);
				again.fill(reader);
				const wanted = filled.evaluate().values;
				expectSame(again.evaluate().values, wanted);
				expectSame(followed.evaluate().values, wanted);
				const top = model.dimensions.map(() => 0);
				const range = { from: 0, to: model.periods.leaves.length - 1 };
				const leaves = (through: Reader) =>
					leafCells(through, top, range)
						.map(({ address, year, position, value }) => `${address.join()} ${year} ${position} ${value}`)
						.sort();
				expect(leaves(reader)).toEqual(leaves(flat));
				if (visible)
					expect(leafCells(reader, top, range)).toEqual(
						leafCells(new Reader(cube, layers), top, range).filter((cell) => visible.mayRead(cell.address))
					);
			}),
			{ numRuns: 200 }
		);
	});
});

/** A right to read one member of a dimension that is neither accounts nor scenarios, and what is under it. */
function guardOf(model: Model, seed: number): ReadGuard | undefined {
	const dimension = model.dimensions.find((each) => each !== model.accounts && each !== model.scenarios);
	if (!dimension) return undefined;
	const member = dimension.member(seed % dimension.members.length).id;
	return ReadGuard.of(model, [{ name: 'Some', level: 'read', slice: { [dimension.id]: [member] } }], [dimension.id]);
}

function expectSame(found: Float64Array, wanted: Float64Array): void {
	found.forEach((value, place) => {
		if (isEmpty(wanted[place]!)) expect(value).toBeNaN();
		else expect(value).toBeCloseTo(wanted[place]!, 6);
	});
}
