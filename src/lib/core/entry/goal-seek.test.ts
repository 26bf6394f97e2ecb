import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { seek } from './goal-seek';

const near = { tolerance: 1e-6 };

describe('the value at which a result reaches a goal', () => {
	test('a line, 3x + 20 to be 200: 60, in a few tries', () => {
		const found = seek((x) => 3 * x + 20, { start: 10, goal: 200, ...near });
		expect(found).toMatchObject({ kind: 'found' });
		expect(found.value).toBeCloseTo(60, 6);
		expect(found.tries).toBeLessThanOrEqual(5);
	});
	test('from nothing: 0 litres at 9 a litre to cost 4,500', () => {
		expect(seek((x) => 9 * x, { start: 0, goal: 4_500, ...near }).value).toBeCloseTo(500, 6);
	});
	test('falling, and a share: 1 − cost ÷ 500 to be 0.25 is 375', () => {
		expect(seek((x) => 1 - x / 500, { start: 100, goal: 0.25, tolerance: 1e-9 }).value).toBeCloseTo(375, 5);
	});
	test('it stands there already; nothing moves it; nothing can be worked out', () => {
		expect(seek((x) => x, { start: 7, goal: 7, ...near })).toEqual({ kind: 'found', value: 7, result: 7, tries: 1 });
		expect(seek(() => 5, { start: 7, goal: 8, ...near })).toMatchObject({ kind: 'no effect', result: 5 });
		expect(seek(() => Number.NaN, { start: 7, goal: 8, ...near })).toMatchObject({ kind: 'no effect', result: Number.NaN });
	});
	test('out of reach: x² is never −4, at best 0; capped at 100 it is never 150', () => {
		const square = seek((x) => x * x, { start: 3, goal: -4, ...near });
		expect(square.kind).toBe('nearest');
		expect(square.result).toBeLessThan(0.1);
		expect(seek((x) => Math.min(x, 100), { start: 10, goal: 150, ...near })).toMatchObject({ kind: 'nearest', result: 100 });
	});
	test('rounded to cents on the way: 1/3 of x in cents to be 33.33 within half a cent', () => {
		const found = seek((x) => Math.round((x / 3) * 100) / 100, { start: 10, goal: 33.33, tolerance: 0.005 });
		expect(found.kind).toBe('found');
		expect(found.result).toBe(33.33);
	});
	test('only beneath zero, or only where it is worked out', () => {
		expect(seek((x) => (x > 0 ? Math.log(x) : Number.NaN), { start: 1, goal: -5, ...near }).value).toBeCloseTo(Math.exp(-5), 6);
		expect(seek((x) => -2 * x, { start: 5, goal: 40, ...near }).value).toBeCloseTo(-20, 6);
	});
	test('is found for every result that only rises, or only falls', () => {
		const shapes = [(x: number) => x, (x: number) => x * x * x, (x: number) => Math.atan(x / 50), (x: number) => Math.round(x * 100) / 100];
		fc.assert(
			fc.property(
				fc.constantFrom(...shapes),
				fc.integer({ min: -200, max: 200 }),
				fc.integer({ min: -200, max: 200 }),
				fc.constantFrom(-3, 0.5, 20),
				(shape, start, at, factor) => {
					const resultOf = (x: number) => factor * shape(x);
					const goal = resultOf(at);
					const found = seek(resultOf, { start, goal, tolerance: 1e-4 });
					expect([found.kind, found.tries <= 60]).toEqual(['found', true]);
					expect(Math.abs(resultOf(found.value) - goal)).toBeLessThanOrEqual(1e-4);
				}
			),
			{ numRuns: 500 }
		);
	});
});
