import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { roundTo, sameAmount, shareOut, sum, Sum } from '.';

describe('sums', () => {
	test('are compensated: ten times 0.1 is 1', () => expect(sum(Array.from({ length: 10 }, () => 0.1))).toBe(1));
	test('keep small parts beside large ones', () => expect(sum([1e16, 1, -1e16, 1])).toBe(2));
	test('of nothing, or of empty values only, are empty', () => {
		expect(sum([])).toBeNaN();
		expect(sum([Number.NaN, Number.NaN])).toBeNaN();
		expect(sum([Number.NaN, 0])).toBe(0);
		expect(new Sum().value).toBeNaN();
	});
});

describe('rounding', () => {
	test.each([
		[1.005, 2, 1.01],
		[-1.005, 2, -1.01],
		[2.5, 0, 3],
		[-2.5, 0, -3],
		[-0.001, 2, 0],
		[123_456.789, 0, 123_457]
	])('%d to %d places is %d', (value, decimals, wanted) => expect(roundTo(value, decimals)).toBe(wanted));
	test('two amounts are the same within half a unit', () => {
		expect(sameAmount(1.004, 1, 2)).toBe(true);
		expect(sameAmount(1.006, 1, 2)).toBe(false);
	});
});

describe('sharing out', () => {
	test('gives the odd cent to the largest remainder', () =>
		expect(shareOut([33.333, 33.333, 33.334], 100, 2)).toEqual([33.33, 33.33, 33.34]));
	test('ties to the cent for any parts', () => {
		fc.assert(
			fc.property(
				fc.array(fc.double({ min: -1e6, max: 1e6, noNaN: true }), { minLength: 1, maxLength: 40 }),
				fc.integer({ min: 0, max: 4 }),
				(parts, decimals) => {
					const total = sum(parts);
					const shared = shareOut(parts, total, decimals);
					expect(Math.abs(sum(shared) - roundTo(total, decimals))).toBeLessThan(10 ** -decimals / 100);
					shared.forEach((share, index) => expect(Math.abs(share - parts[index]!)).toBeLessThanOrEqual(10 ** -decimals * 1.001));
				}
			)
		);
	});
});
