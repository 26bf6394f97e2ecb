import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { Flows, RingFault, solveFlows } from './flows';

const flowsOf = (parts: readonly (readonly number[])[]): Flows => {
	const flows = new Flows();
	parts.forEach((own, from) => own.forEach((part, to) => part !== 0 && flows.add(from, to, part)));
	return flows;
};
const solve = (own: number[], parts: number[][]) => solveFlows(Float64Array.from(own), flowsOf(parts), true, () => {});

describe('what passes among nodes', () => {
	/** By node: what it weighs for each of five, and for those outside; outside never nothing. */
	const network = fc
		.integer({ min: 1, max: 6 })
		.chain((size) =>
			fc.tuple(
				fc.array(fc.integer({ min: -1_000, max: 1_000 }), { minLength: size, maxLength: size }),
				fc.array(
					fc.tuple(
						fc.array(fc.oneof(fc.constant(0), fc.integer({ min: 1, max: 9 })), { minLength: size, maxLength: size }),
						fc.integer({ min: 1, max: 9 })
					),
					{ minLength: size, maxLength: size }
				)
			)
		);
	test('is what comes of passing it on again and again', () => {
		fc.assert(
			fc.property(network, ([own, weights]) => {
				const parts = weights.map(([to, outside]) => {
					const all = to.reduce((sum, each) => sum + each, outside);
					return to.map((each) => each / all);
				});
				let slowly = own.slice();
				for (let round = 0; round < 3_000; round++)
					slowly = own.map((amount, to) => amount + parts.reduce((sum, each, from) => sum + each[to]! * slowly[from]!, 0));
				const { gross, firsts } = solve(own, parts);
				gross.forEach((amount, node) => {
					expect(amount).toBeCloseTo(slowly[node]!, 6);
					expect([...firsts![node]!.values()].reduce((sum, each) => sum + each, 0)).toBeCloseTo(amount, 6);
				});
			}),
			{ numRuns: 300 }
		);
	});
	test('two rings, one feeding the other, are told one by one, with what comes back to each', () => {
		const { rings, gross } = solve(
			[100, 0, 0, 0],
			[
				[0, 0.5, 0.5, 0],
				[0.5, 0, 0, 0],
				[0, 0, 0, 0.9],
				[0, 0, 1, 0]
			]
		);
		// 100 / 0.75; half of that into the second ring, / 0.1.
		expect([...gross].map((each) => Math.round(each * 100) / 100)).toEqual([133.33, 66.67, 666.67, 600]);
		expect(rings.map(({ path, wayOut }) => [[...path].sort(), Math.round(wayOut * 1e9) / 1e9])).toEqual([
			[[0, 1], 0.75],
			[[2, 3], 0.1]
		]);
	});
	test('the way out of a ring is that of the node most comes back to', () => {
		// Of what leaves 1 there come back 0.1 × 0.1 by 0 and 0.8 × 0.9 by 2.
		const [ring] = solve(
			[1, 0, 0],
			[
				[0, 0.1, 0],
				[0.1, 0, 0.8],
				[0, 0.9, 0]
			]
		).rings;
		expect(ring!.wayOut).toBeCloseTo(0.27, 9);
		expect(ring!.path[0]).toBe(1);
	});
	test('goes round for ever where there is no way out, also by parts that are no round numbers', () => {
		const third = 1 / 3;
		const closed = [
			[third, third, third],
			[third, third, third],
			[third, third, third]
		];
		expect(() => solve([1, 0, 0], closed)).toThrow(RingFault);
		expect(() =>
			solve(
				[1, 0],
				[
					[0, 1],
					[1, 0]
				]
			)
		).toThrow('no way out');
		// A ring within a larger one that leaks is none by itself.
		expect(
			solve(
				[1, 0, 0],
				[
					[0, 1, 0],
					[0.5, 0, 0.5],
					[0.5, 0, 0]
				]
			).gross[2]
		).toBeCloseTo(2, 9);
	});
	test('a long line of nodes is no ring, however long', () => {
		const flows = new Flows();
		for (let node = 0; node < 20_000; node++) flows.add(node, node + 1, 1);
		const { gross, rings } = solveFlows(new Float64Array(20_001).fill(1), flows, false, () => {});
		expect(gross[20_000]).toBe(20_001);
		expect(rings).toEqual([]);
	});
	test('a ring of more than a thousand is refused', () => {
		const flows = new Flows();
		for (let node = 0; node < 1_200; node++) flows.add(node, (node + 1) % 1_200, 0.5);
		expect(() => solveFlows(new Float64Array(1_200).fill(1), flows, false, () => {})).toThrow('too large');
	});
});
