import { describe, expect, test } from 'vitest';
import { columnsOf, headingOf, heightOf, layoutOf } from './flow-layout';

const node = (stage: number, name: string) => ({ stage, name, in: 0, out: 0, count: 1, figure: null });
const picture = {
	stages: ['First', 'Second'],
	nodes: [node(0, 'Web'), node(1, 'A'), node(1, 'Pier'), node(2, 'B')],
	links: [
		{ from: 0, to: 1, step: 'First', amount: 300 },
		{ from: 0, to: 2, step: 'First', amount: -100 },
		{ from: 2, to: 3, step: 'Second', amount: 200 }
	]
};

describe('a picture of flows', () => {
	test('has every place in its stage, from left to right, as high as what goes through it', () => {
		const { bars } = layoutOf(picture, 800);
		expect(bars.map(({ node: place }) => place)).toEqual([0, 1, 2, 3]);
		const [web, a, pier, b] = bars;
		expect(web!.x).toBeLessThan(a!.x);
		expect(a!.x).toBe(pier!.x);
		expect(pier!.x).toBeLessThan(b!.x);
		// 400 went from the first, 300 came to A.
		expect(web!.height / a!.height).toBeCloseTo(4 / 3, 6);
		// More went on from Pier than had come: it is as high as what went on.
		expect(pier!.height).toBeCloseTo(b!.height, 6);
		// The last one's name has room beside it.
		expect(b!.x + b!.width).toBeLessThanOrEqual(800 - 60);
		const long = { ...picture, nodes: picture.nodes.with(3, node(2, 'Freight contract, Freight shippers')) };
		expect(layoutOf(long, 800).bars[3]!.x).toBeLessThan(b!.x - 150);
	});
	test('has bands as thick as their amounts, also below nothing', () => {
		const { bands } = layoutOf(picture, 800);
		expect(bands.map(({ link }) => link)).toEqual([0, 1, 2]);
		expect(bands[0]!.thickness / bands[1]!.thickness).toBeCloseTo(3, 6);
		for (const { path } of bands) expect(path).toMatch(/^M[\d.]+,[\d.]+C/);
	});
	test('has a column for every stage that has places, also where no way leads through all of them', () => {
		const apart = {
			stages: ['One', 'Two', 'Three'],
			nodes: [node(0, 'Web'), node(3, 'A'), node(0, 'Pier'), node(2, 'B')],
			links: [
				{ from: 0, to: 1, step: 'Three', amount: 1 },
				{ from: 2, to: 3, step: 'Two', amount: 1 },
				{ from: 2, to: 3, step: 'One', amount: 1 }
			]
		};
		expect(columnsOf(apart)).toEqual([0, 2, 3]);
		const { bars } = layoutOf(apart, 800);
		const xOf = (place: number) => bars.find(({ node: own }) => own === place)!.x;
		expect([xOf(0) < xOf(3), xOf(3) < xOf(1)]).toEqual([true, true]);
		expect([0, 2, 3].map((stage) => headingOf(apart, stage))).toEqual(['Where it was booked', 'One, Two', 'Three']);
	});
	test('has room for every name of its fullest stage, and of nothing draws nothing', () => {
		expect(heightOf({ ...picture, nodes: Array.from({ length: 16 }, (_, at) => node(1, `N${at}`)) })).toBe(16 * 38);
		expect(layoutOf({ ...picture, nodes: [], links: [] }, 800)).toEqual({ bars: [], bands: [] });
	});
});
