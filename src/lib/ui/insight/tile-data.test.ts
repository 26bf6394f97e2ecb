import { TILE_BLOCKS } from '$lib/core';
import type { TileColumn, TileFigures, TileLine } from '$lib/server/insight';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { chartData, cutInWords, figureShown, waterfall } from './tile-data';

const NAMES = { chosen: 'Budget', against: 'Outlook' };
const line = (label: string, over: Partial<TileLine> = {}): TileLine => ({
	label,
	depth: 0,
	parent: false,
	members: {},
	valueType: 'money',
	decimals: 0,
	unit: null,
	thresholds: null,
	currency: null,
	...over
});
const column = (block: number, label = '', percent = false): TileColumn => ({
	label,
	short: label,
	heading: '',
	block,
	parent: false,
	members: {},
	percent,
	cut: null,
	currency: null
});
const figures = (rows: TileLine[], columns: TileColumn[], values: (number | null)[], over: Partial<TileFigures> = {}): TileFigures => ({
	kind: 'figures',
	rows,
	columns,
	values,
	incomplete: [],
	drafted: [],
	good: [],
	bad: [],
	words: {},
	more: 0,
	restIsSum: false,
	moreColumns: 0,
	currency: 'EUR',
	names: NAMES,
	outside: null,
	restricted: false,
	...over
});
const both = [column(TILE_BLOCKS.chosen), column(TILE_BLOCKS.against)];

test('one column: the rows are the categories, what is compared with is a series of its own', () => {
	const data = chartData(figures([line('A'), line('B')], both, [1, 2, 3, 4]));
	expect(data.categories).toEqual(['A', 'B']);
	expect(data.series.map(({ name, values }) => [name, values])).toEqual([
		['Budget', [1, 3]],
		['Outlook', [2, 4]]
	]);
});

test('several columns: each row is a series over them', () => {
	const months = [column(0, 'Apr'), column(0, 'May'), column(1, 'Apr'), column(1, 'May')];
	const data = chartData(figures([line('Fuel')], months, [1, 2, 3, 4]));
	expect(data.categories).toEqual(['Apr', 'May']);
	expect(data.series.map(({ name, values }) => [name, values])).toEqual([
		['Budget', [1, 2]],
		['Outlook', [3, 4]]
	]);
	const two = chartData(figures([line('Fuel'), line('Dues')], months, [1, 2, 3, 4, 5, 6, 7, 8]));
	expect(two.series.map(({ name }) => name)).toEqual(['Fuel', 'Fuel, Outlook', 'Dues', 'Dues, Outlook']);
});

test('units: rows of two on one axis are refused, two series get two axes, three are too many', () => {
	const mixed = [line('Fuel'), line('Sailings', { valueType: 'quantity', unit: 'sailings' })];
	expect(chartData(figures(mixed, [column(0)], [1, 2])).fault).toMatch(/EUR and sailings/);
	const months = [column(0, 'Apr'), column(0, 'May')];
	expect(chartData(figures(mixed, months, [1, 2, 3, 4]))).toMatchObject({ units: ['EUR', 'sailings'] });
	const three = [...mixed, line('Margin', { valueType: 'percent' })];
	expect(chartData(figures(three, months, [1, 2, 3, 4, 5, 6])).fault).toMatch(/more than two axes/);
});

test('local currencies of several entities stand on no common axis, nor do totals of a part of a year pass for it', () => {
	const local = [line('Skerry', { currency: 'NOK' }), line('Northgate', { currency: 'GBP' })];
	expect(chartData(figures(local, [column(0)], [1, 2], { currency: 'local' })).fault).toMatch(/NOK and GBP/);
	expect(chartData(figures(local, [column(0)], [1, 2])).fault).toBeUndefined();
	const months = [column(0, 'Apr'), column(0, 'May')];
	expect(chartData(figures(local, months, [1, 2, 3, 4], { currency: 'local' })).units).toEqual(['NOK', 'GBP']);
	const cut = [{ ...column(0), cut: 'to Sep 2026' }, column(1)];
	expect(cutInWords({ columns: cut, names: NAMES })).toBe('Budget to Sep 2026');
	expect(cutInWords({ columns: [column(0), column(1)], names: NAMES })).toBe('');
});

test('nothing at all says so', () => {
	expect(chartData(figures([line('A')], [column(0)], [null])).fault).toMatch(/Nothing/);
});

const part = (name: string, amount: number) => ({ member: 1, name, part: amount });
const steps = (before: number | null, after: number | null, lines: ReturnType<typeof part>[], over: object = {}) =>
	waterfall({ before, after, lines, more: { count: 0, part: 0 }, exchange: 0, ...over }, NAMES);

test('a waterfall leads from what is compared with to what is chosen, and shows what is left', () => {
	// Parts +3 and −4 lead from 20 to 19; the figure is 25, so 6 are not by these.
	expect(steps(20, 25, [part('B', -4), part('A', 3)])!.map(({ label, from, to, change }) => [label, from, to, change])).toEqual([
		['Outlook', 0, 20, 20],
		['B', 20, 16, -4],
		['A', 16, 19, 3],
		['Not by these', 19, 25, 6],
		['Budget', 0, 25, 25]
	]);
});

test('what is smaller stands together, rates by themselves; nothing is left then', () => {
	const found = steps(10, 18, [part('A', 5)], { more: { count: 3, part: 1 }, exchange: 2 })!;
	expect(found.map(({ label, change }) => [label, change])).toEqual([
		['Outlook', 10],
		['A', 5],
		['3 others', 1],
		['Exchange rates', 2],
		['Budget', 18]
	]);
});

test('an empty side counts as nothing; where both are empty there is nothing to lead to', () => {
	expect(steps(null, 7, [part('A', 7)])!.map(({ change }) => change)).toEqual([0, 7, 7]);
	expect(steps(null, null, [])).toBeUndefined();
});

test('whatever the parts, the steps end where the figure stands', () => {
	const amount = fc.integer({ min: -1e6, max: 1e6 });
	let compared = 0;
	fc.assert(
		fc.property(fc.array(amount, { maxLength: 30 }), amount, amount, amount, (parts, end, start, exchange) => {
			const found = steps(
				start,
				end,
				parts.map((each) => part('', each)),
				{ exchange }
			)!;
			const inner = found.slice(1, -1);
			expect(start + inner.reduce((sum, { change }) => sum + change, 0)).toBeCloseTo(end, 6);
			for (const [place, step] of inner.entries()) expect(step.from).toBeCloseTo(place === 0 ? start : inner[place - 1]!.to, 6);
			compared += inner.length;
		})
	);
	expect(compared).toBeGreaterThan(300);
});

test('a figure with its difference, news, threshold and course', () => {
	const columns = [
		column(0),
		column(1),
		column(TILE_BLOCKS.difference),
		column(TILE_BLOCKS.share, '', true),
		column(2, 'Apr'),
		column(2, 'May')
	];
	const shown = figureShown(
		figures([line('Margin', { thresholds: { watch: 10, act: 5, worse: 'below' } })], columns, [8, 12, -4, -1 / 3, 3, 5], { bad: [2] })
	)!;
	expect(shown).toMatchObject({ value: 8, against: 12, difference: -4, news: 'bad', level: 'watch', course: [3, 5], isDrafted: false });
});
