import { describe, expect, test } from 'vitest';
import type { Comparison } from '$lib/server/branch';
import { differenceOf, differing, factsAt, shareOf } from './comparison';

const MONEY = { valueType: 'money', shownDecimals: 0, inWords: false } as const;
const DATE = { valueType: 'date', shownDecimals: 0, inWords: true } as const;
const sides = (...values: (number | null)[][]): Pick<Comparison, 'rows' | 'columns' | 'sides'> => ({
	rows: [1, 2].map((row) => ({ label: `Row ${row}`, depth: 0, facts: MONEY })),
	columns: [1, 2].map((column) => ({ label: `Column ${column}`, facts: column === 2 ? DATE : null, isTotal: false })),
	sides: values.map((side, at) => ({ key: at === 0 ? 'plan' : `b${at}`, name: '', values: side, words: {}, beyond: 0 }))
});

describe('what differs', () => {
	test('is told by amount; nothing counts as nothing, and rounding is no difference', () => {
		expect(differenceOf(100, 130)).toBe(30);
		expect(differenceOf(null, 5)).toBe(5);
		expect(differenceOf(5, null)).toBe(-5);
		expect(differenceOf(null, null)).toBeNull();
		expect(differenceOf(0.1 + 0.2, 0.3)).toBeNull();
	});
	test('as a share is of the plan’s figure, whatever its sign, and of nothing there is none', () => {
		expect([shareOf(30, 100), shareOf(30, -100), shareOf(5, null), shareOf(5, 0)]).toEqual([0.3, 0.3, null, null]);
	});
	test('is written as the account of its column says, else of its row', () => {
		const one = sides([1, 2, 3, 4]) as Comparison;
		expect([factsAt(one, 0, 0), factsAt(one, 0, 1)]).toEqual([MONEY, DATE]);
	});
	test('leaves the rows and columns in which any branch differs', () => {
		const two = sides([1, 2, 3, 4], [1, 2, 3, 4], [1, 2, 3, 9]) as Comparison;
		expect(differing(two, true)).toEqual({ rows: [1], columns: [1] });
		expect(differing(two, false)).toEqual({ rows: [0, 1], columns: [0, 1] });
		expect(differing(sides([1, 2, 3, 4], [1, 2, 3, 4]) as Comparison, true)).toEqual({ rows: [], columns: [] });
	});
});
