import { expect, test } from 'vitest';
import { sortedRows } from './sorted-rows';

const line = (depth: number, kind: 'cells' | 'derived' | 'text' = 'cells') => ({ kind, depth, totalAfter: false });
const by = (values: (number | null)[]) => (row: number) => values[row]!;

test('rows of one depth go by their figures, empty ones last whichever way', () => {
	const rows = [line(0), line(0), line(0)];
	expect(sortedRows(rows, by([2, null, 5]), { descending: true })).toEqual([2, 0, 1]);
	expect(sortedRows(rows, by([2, null, 5]), { descending: false })).toEqual([0, 2, 1]);
});

test('what lies under a row goes with it, and is sorted among itself', () => {
	const rows = [line(0), line(1), line(1), line(0), line(1)];
	expect(sortedRows(rows, by([10, 1, 9, 50, 50]), { descending: true })).toEqual([3, 4, 0, 2, 1]);
});

test('the first few of each group are kept, a whole branch is left out with its row', () => {
	const rows = [line(0), line(1), line(1), line(0), line(1)];
	expect(sortedRows(rows, by([10, 1, 9, 50, 50]), { descending: true, top: 1 })).toEqual([3, 4]);
});

test('headings stay, what stands between them is sorted', () => {
	const rows = [line(0), line(0), line(0, 'text'), line(0), line(0)];
	expect(sortedRows(rows, by([1, 2, null, 3, 4]), { descending: true })).toEqual([1, 0, 2, 4, 3]);
});

test('totals after what they add up keep their order', () => {
	const rows = [line(1), { ...line(0), totalAfter: true }];
	expect(sortedRows(rows, by([1, 2]), { descending: true })).toEqual([0, 1]);
});
