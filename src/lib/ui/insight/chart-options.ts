/** How a tile's figures are drawn: options for the chart library, in the colours of the application. */
import type { ApexOptions } from 'apexcharts';
import type { ChartKind } from '$lib/core';
import { CHART_COLORS } from '../figures/chart-colors';
import { chartText } from '../figures/chart-text';
import type { ChartData, ChartSeries } from './tile-data';

export interface ChartLook {
	height: number;
	/** A named colour of the theme. */
	color: (name: string) => string;
	nonce: string | undefined;
	isNight: boolean;
	/** How a figure of a series is written. */
	shown: (value: number, series: ChartSeries) => string;
}

const APEX: Record<ChartKind, NonNullable<NonNullable<ApexOptions['chart']>['type']>> = {
	line: 'line',
	column: 'bar',
	stacked: 'bar',
	bar: 'bar',
	area: 'area',
	combined: 'line',
	bullet: 'bar',
	scatter: 'scatter',
	'heat map': 'heatmap',
	treemap: 'treemap'
};

/** Why a kind of chart cannot draw these figures, in a sentence. */
export function whyNotDrawn(kind: ChartKind, data: ChartData): string | undefined {
	if (data.fault) return data.fault;
	if (kind === 'treemap' && data.series[0]!.values.some((value) => value !== null && value < 0))
		return 'Areas show what is above nothing, and some of these figures are below. Take bars.';
	if (kind === 'scatter' && data.series.filter(({ isAgainst }) => !isAgainst).length < 2)
		return 'A scatter takes two rows: the first across, the second up.';
	if ((kind === 'stacked' || kind === 'heat map' || kind === 'treemap') && data.units.length > 1)
		return `These figures count in ${data.units.join(' and ')}, so they cannot be put together.`;
	return undefined;
}

/** From where an axis begins: at nothing, or, where all lies far above, a little below the least; then it is said. */
export function axisFrom(kind: ChartKind, values: readonly (number | null)[]): number | undefined {
	if (kind !== 'line' && kind !== 'scatter') return undefined;
	const present = values.filter((value) => value !== null);
	const [least, most] = [Math.min(...present), Math.max(...present)];
	if (present.length === 0 || least <= 0 || least < most * 0.6) return undefined;
	const step = 10 ** Math.floor(Math.log10((most - least || most) / 2));
	return Math.max(0, Math.floor((least - (most - least) * 0.15) / step) * step) || undefined;
}

export function chartOptions(kind: ChartKind, data: ChartData, { height, color, nonce, isNight, shown }: ChartLook): ApexOptions {
	const ofUnit = (unit: string) => data.series.find((series) => series.unit === unit)!;
	const written = (value: unknown, series: ChartSeries) => (typeof value === 'number' ? shown(value, series) : '');
	const own = data.series.filter(({ isAgainst }) => !isAgainst);
	// What is compared with stands in the colour of its series, paler; with one series in the grey of marks.
	const colorOf = (series: ChartSeries, place: number) => {
		if (!series.isAgainst) return color(CHART_COLORS[own.indexOf(series) % CHART_COLORS.length]!);
		return own.length === 1 ? color('--mark') : `${color(CHART_COLORS[Math.floor(place / 2) % CHART_COLORS.length]!)}77`;
	};
	const isBar = APEX[kind] === 'bar';
	const horizontal = kind === 'bar' || kind === 'bullet';
	const begins = axisFrom(
		kind,
		data.series.flatMap(({ values }) => values)
	);
	const labels = { style: { colors: color('--grey'), fontSize: '11px' } };
	const base: ApexOptions = {
		chart: {
			type: APEX[kind],
			height,
			stacked: kind === 'stacked',
			toolbar: { show: false },
			zoom: { enabled: false },
			animations: { enabled: false },
			fontFamily: 'inherit',
			background: 'transparent',
			parentHeightOffset: 0,
			...(nonce !== undefined && { nonce })
		},
		colors: data.series.map(colorOf),
		grid: { borderColor: color('--hairline'), padding: { top: -12, bottom: -6, left: 6, right: 8 } },
		dataLabels: { enabled: false },
		legend: {
			show: data.series.length > 1,
			position: 'top',
			horizontalAlign: 'left',
			fontSize: '11px',
			labels: { colors: color('--color-base-content') },
			offsetY: 2
		},
		tooltip: {
			theme: isNight ? 'dark' : 'light',
			y: {
				formatter: (value: number, at?: { seriesIndex?: number }) => written(value, data.series[at?.seriesIndex ?? 0] ?? data.series[0]!)
			}
		}
	};
	if (kind === 'treemap') {
		const [series] = data.series;
		return {
			...base,
			legend: { show: false },
			colors: [color('--color-secondary')],
			plotOptions: { treemap: { enableShades: false } },
			series: [{ data: data.categories.map((name, at) => ({ x: chartText(name), y: series!.values[at] ?? 0 })) }],
			dataLabels: { enabled: true, style: { fontSize: '12px', colors: [color('--color-secondary-content')] } }
		} as ApexOptions;
	}
	if (kind === 'scatter') {
		const [across, up] = own;
		return {
			...base,
			series: [
				{
					name: chartText(`${across!.name} and ${up!.name}`),
					data: data.categories.flatMap((_, at): [number, number][] =>
						across!.values[at] === null || up!.values[at] === null ? [] : [[across!.values[at]!, up!.values[at]!]]
					)
				}
			],
			xaxis: {
				type: 'numeric',
				title: { text: chartText(across!.name), style: { color: color('--grey'), fontSize: '11px' } },
				labels: { ...labels, formatter: (value: string) => written(Number(value), across!) }
			},
			yaxis: {
				title: { text: chartText(up!.name), style: { color: color('--grey'), fontSize: '11px' } },
				labels: { ...labels, formatter: (value: number) => written(value, up!) }
			},
			markers: { size: 5 }
		};
	}
	if (kind === 'heat map')
		return {
			...base,
			legend: { show: false },
			colors: [color('--color-base-200')],
			// The library's own shades begin at white, which at night is the brightest of all.
			plotOptions: {
				heatmap: {
					enableShades: false,
					colorScale: {
						ranges: heatBands(
							own.flatMap(({ values }) => values),
							{ ground: color('--color-base-200'), above: color('--chart-1'), below: color('--chart-3') }
						)
					}
				}
			},
			stroke: { width: 1, colors: [color('--color-base-100')] },
			series: own.map(({ name, values }) => ({
				name: chartText(name),
				data: data.categories.map((x, at) => ({ x: chartText(x), y: values[at] }))
			})),
			xaxis: { labels },
			yaxis: { labels }
		} as ApexOptions;
	const drawn = kind === 'bullet' ? own : data.series;
	const types = (series: ChartSeries, place: number) => (kind === 'combined' ? (place === 0 ? 'column' : 'line') : undefined);
	// An axis begins at nothing; where it does not, that is said beneath.
	const axisMin = (unit: string) => {
		const values = data.series.filter((series) => series.unit === unit).flatMap((series) => series.values);
		return begins !== undefined ? { min: begins } : values.every((value) => value === null || value >= 0) ? { min: 0 } : {};
	};
	const axis = (unit: string, opposite: boolean) => ({
		seriesName: data.series.filter((series) => series.unit === unit).map(({ name }) => chartText(name)),
		opposite,
		...axisMin(unit),
		labels: { ...labels, maxWidth: 220, formatter: (value: number) => written(value, ofUnit(unit)) }
	});
	const room = roomOf(drawn);
	// Every bar has its figure at its end: the axis says where nothing is, and how far it goes.
	const atEnds = (value: number) => (!room || [0, room.min, room.max].includes(value) ? written(value, drawn[0]!) : '');
	return {
		...base,
		series: drawn.map((series, place) => ({
			name: chartText(series.name),
			...(types(series, place) && { type: types(series, place) }),
			data:
				kind === 'bullet'
					? series.values.map((value, at) => ({
							x: chartText(data.categories[at]!),
							y: value,
							goals: data.series.flatMap(({ isAgainst, values, name }) =>
								isAgainst && values[at] !== null
									? [
											{
												name: chartText(name),
												value: values[at]!,
												strokeWidth: 3,
												strokeHeight: 14,
												strokeColor: color('--color-base-content')
											}
										]
									: []
							)
						}))
					: series.values
		})) as ApexOptions['series'] & object,
		plotOptions: {
			bar: {
				horizontal,
				...(horizontal && { dataLabels: { position: 'top' } }),
				columnWidth: '70%',
				barHeight: kind === 'bullet' ? '45%' : '70%',
				borderRadius: 1
			}
		},
		stroke: {
			width: isBar ? 0 : drawn.map(({ isAgainst }, place) => (kind === 'combined' && place === 0 ? 0 : isAgainst ? 1.5 : 2.5)),
			curve: 'straight',
			dashArray: drawn.map(({ isAgainst }) => (isAgainst && !isBar ? 4 : 0))
		},
		...(kind === 'area' && { fill: { type: 'solid', opacity: 0.18 } }),
		// Bars that lie have their figures at their ends: no legend is read for them.
		...(horizontal && {
			dataLabels: {
				enabled: true,
				textAnchor: 'start' as const,
				offsetX: 6,
				style: { fontSize: '11px', colors: [color('--color-base-content')] },
				background: { enabled: false },
				formatter: (value: number, at?: { seriesIndex?: number }) => written(value, drawn[at?.seriesIndex ?? 0] ?? drawn[0]!)
			}
		}),
		xaxis: {
			categories: data.categories.map(chartText),
			labels: horizontal
				? { ...labels, formatter: (value: string) => (Number.isFinite(Number(value)) ? atEnds(Number(value)) : value) }
				: { ...labels, rotate: 0, hideOverlappingLabels: true },
			// Room for the figures at the ends.
			...(horizontal && room),
			axisBorder: { color: color('--rule') },
			axisTicks: { color: color('--rule') }
		},
		yaxis: horizontal ? { labels: { ...labels, maxWidth: 200 } } : data.units.map((unit, place) => axis(unit, place === 1))
	};
}

/** Bands of a heat map on either side of nothing. */
const BANDS = 6;

/** Colours by size: from the ground of the page at nothing to a full colour at the most, another one below nothing. */
export function heatBands(
	values: readonly (number | null)[],
	{ ground, above, below }: { ground: string; above: string; below: string }
): { from: number; to: number; color: string }[] {
	const present = values.filter((value) => value !== null);
	const [least, most] = [Math.min(0, ...present), Math.max(0, ...present)];
	const bands = (end: number, full: string) =>
		end === 0
			? []
			: Array.from({ length: BANDS }, (_, at) => {
					const [near, far] = [(end * at) / BANDS, (end * (at + 1)) / BANDS];
					return { from: Math.min(near, far), to: Math.max(near, far), color: mixed(ground, full, (at + 0.6) / BANDS) };
				});
	return [...bands(most, above), ...bands(least, below)];
}

/** A colour (#rrggbb) so far on the way from one to another. */
function mixed(from: string, to: string, share: number): string {
	const channels = [1, 3, 5].map((at) => {
		const [one, other] = [from, to].map((each) => Number.parseInt(each.slice(at, at + 2), 16));
		return Math.round(one! + (other! - one!) * share)
			.toString(16)
			.padStart(2, '0');
	});
	return `#${channels.join('')}`;
}

/** The ends of an axis along which bars lie with their figures behind them: whole steps of a readable size. */
export function roomOf(series: readonly Pick<ChartSeries, 'values'>[]): { min: number; max: number; tickAmount: number } | undefined {
	const values = series.flatMap((each) => each.values).filter((value) => value !== null);
	const [least, most] = [Math.min(0, ...values) * 1.2, Math.max(0, ...values) * 1.2];
	if (most === least) return undefined;
	const raw = (most - least) / 4;
	const size = 10 ** Math.floor(Math.log10(raw));
	const step = [1, 2, 2.5, 5, 10].map((factor) => factor * size).find((each) => each >= raw)!;
	const [min, max] = [Math.floor(least / step) * step, Math.ceil(most / step) * step];
	return { min, max, tickAmount: Math.round((max - min) / step) };
}
