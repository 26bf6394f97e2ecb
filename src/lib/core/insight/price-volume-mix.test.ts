import fc from 'fast-check';
import { expect, test } from 'vitest';
import { priceVolumeMix, type Sold } from './price-volume-mix';

const sold = (q0: number, r0: number, q1: number, r1: number): Sold => ({
	before: { quantity: q0, amount: r0 },
	after: { quantity: q1, amount: r1 }
});

test('one thing, more of it at the same price: all is volume', () => {
	expect(priceVolumeMix([sold(10, 100, 12, 120)])).toEqual({ volume: 20, mix: 0, price: 0, other: 0 });
});

test('one thing, as many at another price: all is price', () => {
	expect(priceVolumeMix([sold(10, 100, 10, 130)])).toEqual({ volume: 0, mix: 0, price: 30, other: 0 });
});

test('as many in all, more of the dear one: all is mix', () => {
	// 10 at 1 and 10 at 3 become 5 at 1 and 15 at 3: 40 to 50.
	expect(priceVolumeMix([sold(10, 10, 5, 5), sold(10, 30, 15, 45)])).toEqual({ volume: 0, mix: 10, price: 0, other: 0 });
});

test('all three at once, by hand', () => {
	// Before 10 at 1 and 10 at 3 (40, average 2); after 12 at 1.5 (18) and 12 at 3 (36): 54.
	// Volume 4 · 2 = 8; price 12 · 0.5 = 6; mix 54 − 40 − 8 − 6 = 0: both are half of all still.
	expect(priceVolumeMix([sold(10, 10, 12, 18), sold(10, 30, 12, 36)])).toEqual({ volume: 8, mix: 0, price: 6, other: 0 });
});

test('what was not sold before is mix, what is not sold any more too', () => {
	// Before 10 at 2; after 10 at 2 and 5 new at 4: 20 to 40. Volume 5 · 2 = 10, mix 10.
	expect(priceVolumeMix([sold(10, 20, 10, 20), sold(0, 0, 5, 20)])).toEqual({ volume: 10, mix: 10, price: 0, other: 0 });
	// Before 10 at 2 and 10 at 4 (60, average 3), after the first alone, 10 at 2: volume −30, mix −10.
	expect(priceVolumeMix([sold(10, 20, 10, 20), sold(10, 40, 0, 0)])).toEqual({ volume: -30, mix: -10, price: 0, other: 0 });
});

test('an amount without a quantity is told apart; nothing before at all is mix', () => {
	expect(priceVolumeMix([sold(10, 20, 10, 20), sold(0, 5, 0, 9)])).toEqual({ volume: 0, mix: 0, price: 0, other: 4 });
	expect(priceVolumeMix([sold(0, 0, 5, 20)])).toEqual({ volume: 0, mix: 20, price: 0, other: 0 });
	expect(priceVolumeMix([])).toEqual({ volume: 0, mix: 0, price: 0, other: 0 });
});

test('whatever is sold, the parts add up to the difference', () => {
	const number = fc.integer({ min: -50, max: 1_000 });
	let whole = 0;
	fc.assert(
		fc.property(fc.array(fc.tuple(number, number, number, number), { maxLength: 12 }), (items) => {
			const { volume, mix, price, other } = priceVolumeMix(items.map(([a, b, c, d]) => sold(a, b, c, d)));
			const difference = items.reduce((sum, [, r0, , r1]) => sum + r1 - r0, 0);
			expect(volume + mix + price + other).toBeCloseTo(difference, 4);
			whole += Math.abs(difference);
		})
	);
	expect(whole).toBeGreaterThan(0);
});
