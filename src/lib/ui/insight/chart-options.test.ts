import { CHARTS } from '$lib/core';
import { describe, expect, test } from 'vitest';
import { axisFrom, chartOptions, roomOf, whyNotDrawn, heatBands } from './chart-options';
import type { ChartData, ChartSeries } from './tile-data';

const series = (name: string, values: (number | null)[], over: Partial<ChartSeries> = {}): ChartSeries => ({
	name,
	unit: 'EUR',
	values,
	isAgainst: false,
	percent: false,
	line: {
		label: name,
		depth: 0,
		parent: false,
		members: {},
		valueType: 'money',
		decimals: 0,
		unit: null,
		thresholds: null,
		currency: null
	},
	...over
});
const data = (...all: ChartSeries[]): ChartData => ({
	categories: ['Apr', 'May'],
	series: all,
	units: [...new Set(all.map(({ unit }) => unit))]
});
const look = { height: 200, color: (name: string) => name, nonce: undefined, isNight: false, shown: (value: number) => `${value}` };

test('every kind of chart is drawn, with names that cannot be elements', () => {
	for (const kind of CHARTS) {
		const options = chartOptions(kind, data(series('<img src=x>', [1, 2]), series('Fuel', [3, 4])), look);
		expect(JSON.stringify(options), kind).not.toContain('<');
	}
});

test('two units have two axes, the second at the other side', () => {
	const { yaxis } = chartOptions('combined', data(series('Fuel', [1, 2]), series('Sailings', [3, 4], { unit: 'sailings' })), look);
	expect((yaxis as { opposite: boolean }[]).map(({ opposite }) => opposite)).toEqual([false, true]);
});

test('what cannot be drawn says why', () => {
	expect(whyNotDrawn('treemap', data(series('A', [1, -2])))).toMatch(/below/);
	expect(whyNotDrawn('scatter', data(series('A', [1, 2])))).toMatch(/two rows/);
	expect(whyNotDrawn('stacked', data(series('A', [1, 2]), series('B', [1, 2], { unit: '%' })))).toMatch(/count in/);
	expect(whyNotDrawn('column', data(series('A', [-1, -2])))).toBeUndefined();
});

test('a line far above nothing has an axis that is cut, one near it has not; bars never', () => {
	expect(axisFrom('line', [95, 100])).toBeGreaterThan(80);
	expect(axisFrom('line', [95, 100])).toBeLessThanOrEqual(95);
	expect(axisFrom('line', [10, 100])).toBeUndefined();
	expect(axisFrom('line', [-95, -100])).toBeUndefined();
	expect(axisFrom('column', [95, 100])).toBeUndefined();
	expect(axisFrom('line', [null, null])).toBeUndefined();
	expect(axisFrom('line', [100, 100])).toBeLessThanOrEqual(100);
});

test('an axis with room for the figures at its ends goes in whole steps, through nothing', () => {
	expect(roomOf([{ values: [12_057, 3, -11_117] }])).toEqual({ min: -20_000, max: 20_000, tickAmount: 4 });
	expect(roomOf([{ values: [40] }])).toEqual({ min: 0, max: 60, tickAmount: 3 });
	expect(roomOf([{ values: [null, 0] }])).toBeUndefined();
});

describe('a heat map', () => {
	const colors = { ground: '#ffffff', above: '#000000', below: '#ff0000' };
	const colorAt = (values: (number | null)[], value: number) =>
		heatBands(values, colors).findLast(({ from, to }) => value >= from && value <= to)?.color;

	test('is darker the larger a figure is, and has a band for each', () => {
		const values = [0, 30, 60, null];
		expect(heatBands(values, colors)).toHaveLength(6);
		for (const value of [0, 1, 10, 59.99, 60]) expect(colorAt(values, value)).toMatch(/^#[0-9a-f]{6}$/);
		expect(colorAt(values, 0)).toBe('#e6e6e6');
		expect(colorAt(values, 60)).toBe('#111111');
	});
	test('has another colour below nothing', () => {
		expect(colorAt([-10, 20], -10)).toBe('#ff1111');
		expect(colorAt([-10, 20], 20)).toBe('#111111');
		expect(heatBands([-10, -3], colors)).toHaveLength(6);
	});
	test('of nothing has no bands', () => expect(heatBands([null, 0], colors)).toEqual([]));
});
