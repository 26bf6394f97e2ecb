import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { asItStood, Model } from '../model';
import { fillCube, fuelledModel, randomModel, topView } from '../testing';
import { Cube, eachShownCell, Overlay, Reader } from '.';

const [LITRES, PRICE, FUEL, MARGIN] = [0, 1, 2, 3];

describe('the cells that show something', () => {
	test('stored 7, price 2 elsewhere: fuel 14 and margin −14 are among them; what lies beneath a formula is not', () => {
		const model = fuelledModel();
		const cube = new Cube(model);
		const [r1, none] = [1, 4];
		cube.writeCell(2, [LITRES, 0, r1], 2027, 3, 7);
		cube.writeCell(2, [PRICE, 0, none], 2027, 3, 2);
		cube.writeCell(2, [FUEL, 0, r1], 2027, 3, 999);
		expect(shown(new Reader(cube))).toEqual({ '0 0 1': 7, '1 0 4': 2, '2 0 1': 14, '3 0 1': -14 });
		// Through a layer they are what follows there.
		const layer = new Overlay(model);
		layer.set([LITRES, 0, r1], 2027, 3, 10);
		expect(shown(new Reader(cube, [layer]))).toEqual({ '0 0 1': 10, '1 0 4': 2, '2 0 1': 20, '3 0 1': -20 });
		const covers = model.dimensions.map((dimension, axis) =>
			axis === model.accountAxis ? dimension.members.map((_, at) => (at === MARGIN ? 1 : 0)) : undefined
		);
		expect(
			shown(
				new Reader(cube),
				covers.map((each) => each && Uint8Array.from(each))
			)
		).toEqual({ '3 0 1': -14 });
	});

	test('taken down, they come to the same totals in any model', () => {
		let live = 0;
		fc.assert(
			fc.property(randomModel, ({ model, cells }) => {
				const cube = fillCube(model, cells);
				const then = new Model(asItStood(model.definition));
				const copy = new Cube(then);
				eachShownCell(new Reader(cube), [], (address, year, position, value) => {
					copy.writeCell(0, address, year, position, value);
					if (model.live.has(address[model.accountAxis]!)) live++;
				});
				const [here, there] = [topView(model), topView(then)];
				here.fill(new Reader(cube));
				there.fill(new Reader(copy));
				const [wanted, found] = [here.evaluate().values, there.evaluate().values];
				wanted.forEach((value, at) => (Number.isNaN(value) ? expect(found[at]).toBeNaN() : expect(found[at]).toBeCloseTo(value, 5)));
			}),
			{ numRuns: 60 }
		);
		expect(live).toBeGreaterThan(100);
	});
});

function shown(reader: Reader, covers: (Uint8Array | undefined)[] = []): Record<string, number> {
	const found: Record<string, number> = {};
	eachShownCell(reader, covers, (address, _, __, value) => (found[address.join(' ')] = value));
	return found;
}
