/** What a tile's figures are as a chart: categories and series, steps of a waterfall, a figure with its comparison. */
import { levelOf, TILE_BLOCKS, type Level } from '$lib/core';
import type { TileColumn, TileFigures, TileLine, TileSteps } from '$lib/server/insight';

export interface ChartSeries {
	name: string;
	/** What it counts in; series of one unit share an axis. */
	unit: string;
	values: (number | null)[];
	/** What is compared with: drawn thinner. */
	isAgainst: boolean;
	/** How its figures are written. */
	line: TileLine;
	percent: boolean;
}

export interface ChartData {
	categories: string[];
	series: ChartSeries[];
	/** The units met, in their order. */
	units: string[];
	/** Why nothing can be drawn, in a sentence. */
	fault?: string;
}

const unitOf = (line: TileLine, column: TileColumn | undefined, currency: string): string => {
	const money = currency === 'local' ? (line.currency ?? column?.currency ?? 'local currency') : currency;
	if (column?.percent || line.valueType === 'percent') return '%';
	if (line.valueType === 'money') return money;
	return line.valueType === 'price' ? (line.unit ?? `${money} each`) : (line.unit ?? 'count');
};

/** Where what is shown, or compared with, speaks about less than its period, in words; empty where it speaks about all of it. */
export function cutInWords({ columns, names }: Pick<TileFigures, 'columns' | 'names'>): string {
	const of = (block: number, name: string) => {
		const cuts = [...new Set(columns.flatMap((column) => (column.block === block && column.cut ? [column.cut] : [])))];
		return cuts.length === 0 ? [] : [`${name} ${cuts.join(', ')}`];
	};
	return [...of(TILE_BLOCKS.chosen, names.chosen), ...of(TILE_BLOCKS.against, names.against)].join('; ');
}

const columnsOf = (figures: TileFigures, block: number): number[] =>
	figures.columns.flatMap((column, place) => (column.block === block ? [place] : []));

const at = (figures: TileFigures, row: number, column: number): number | null =>
	figures.values[row * figures.columns.length + column] ?? null;

/**
 * The series of a chart: the rows over the columns; where there is one column only, the columns over the rows. What is
 * compared with comes beside, place by place.
 */
export function chartData(figures: TileFigures): ChartData {
	const { currency, names } = figures;
	const own = columnsOf(figures, TILE_BLOCKS.chosen);
	const other = columnsOf(figures, TILE_BLOCKS.against);
	const data = own.length === 1 ? byRow(figures, currency, names, own[0]!, other[0]) : byColumn(figures, currency, names, own, other);
	const units = [...new Set(data.series.map(({ unit }) => unit))];
	const isEmpty = data.series.every(({ values }) => values.every((value) => value === null));
	const fault = isEmpty
		? 'Nothing is here for these choices.'
		: units.length > 2
			? `These figures count in ${units.join(', ')}: more than two axes cannot be read. Take fewer rows.`
			: undefined;
	return { ...data, units, ...(fault && { fault }) };
}

function byRow(
	figures: TileFigures,
	currency: string,
	names: { chosen: string; against: string },
	own: number,
	other: number | undefined
): Omit<ChartData, 'units'> {
	const units = new Set(figures.rows.map((line) => unitOf(line, figures.columns[own], currency)));
	const series = [...(other === undefined ? [own] : [own, other])].map((column): ChartSeries => ({
		name: column === own ? names.chosen : names.against,
		unit: [...units].join(', '),
		values: figures.rows.map((_, row) => at(figures, row, column)),
		isAgainst: column !== own,
		line: figures.rows[0]!,
		percent: figures.columns[column]!.percent
	}));
	return {
		categories: figures.rows.map(({ label }) => label),
		series: figures.rows.length === 0 ? [] : series,
		...(units.size > 1 && {
			fault: `The rows count in ${[...units].join(' and ')}, so they cannot stand on one axis. Take rows of one unit.`
		})
	};
}

function byColumn(
	figures: TileFigures,
	currency: string,
	names: { chosen: string; against: string },
	own: readonly number[],
	other: readonly number[]
): Omit<ChartData, 'units'> {
	const series = figures.rows.flatMap((line, row): ChartSeries[] => {
		const one = (places: readonly number[], isAgainst: boolean): ChartSeries => ({
			name:
				figures.rows.length === 1 && other.length > 0
					? isAgainst
						? names.against
						: names.chosen
					: isAgainst
						? `${line.label}, ${names.against}`
						: line.label,
			unit: unitOf(line, figures.columns[places[0]!], currency),
			values: places.map((place) => at(figures, row, place)),
			isAgainst,
			line,
			percent: figures.columns[places[0]!]!.percent
		});
		return [one(own, false), ...(other.length === own.length ? [one(other, true)] : [])];
	});
	return { categories: own.map((place) => figures.columns[place]!.short || figures.columns[place]!.label), series };
}

export interface WaterfallStep {
	label: string;
	/** From where to where its bar stands. */
	from: number;
	to: number;
	kind: 'total' | 'up' | 'down';
	change: number;
	/** The member (id), where it is one. */
	member: number | null;
}

/**
 * The steps from the figure compared with to the one that is chosen: what each member makes, what the others make together,
 * the rates, and what is left where the parts do not add up (a ratio's never do): shown, never hidden.
 * @returns undefined where neither has a figure
 */
export function waterfall(
	steps: Pick<TileSteps, 'before' | 'after' | 'lines' | 'more' | 'exchange'>,
	names: { chosen: string; against: string }
): WaterfallStep[] | undefined {
	const { before, after, lines, more, exchange } = steps;
	if (before === null && after === null) return undefined;
	const [from, to] = [before ?? 0, after ?? 0];
	const found: WaterfallStep[] = [{ label: names.against, from: 0, to: from, kind: 'total', change: from, member: null }];
	let level = from;
	const step = (label: string, change: number, member: number | null = null) => {
		found.push({ label, from: level, to: level + change, kind: change < 0 ? 'down' : 'up', change, member });
		level += change;
	};
	for (const { name, part, member } of lines) step(name, part, member);
	if (more.count > 0) step(`${more.count} others`, more.part);
	if (exchange !== 0) step('Exchange rates', exchange);
	const left = to - level;
	if (Math.abs(left) > 1e-6 * Math.max(1, Math.abs(to), Math.abs(from))) step('Not by these', left);
	found.push({ label: names.chosen, from: 0, to, kind: 'total', change: to, member: null });
	return found;
}

export interface FigureShown {
	line: TileLine;
	value: number | null;
	against: number | null;
	/** The difference, and as a share of what is compared with; null where there is none. */
	difference: number | null;
	share: number | null;
	/** Whether the difference is good news; undefined where it is neither. */
	news: 'good' | 'bad' | undefined;
	level: Level | undefined;
	course: number[];
	isDrafted: boolean;
	isIncomplete: boolean;
	percent: boolean;
	word: string | undefined;
}

/** The first row of a tile as one figure. */
export function figureShown(figures: TileFigures): FigureShown | undefined {
	const [line] = figures.rows;
	const [own] = columnsOf(figures, TILE_BLOCKS.chosen);
	if (!line || own === undefined) return undefined;
	const [other] = columnsOf(figures, TILE_BLOCKS.against);
	const [difference] = columnsOf(figures, TILE_BLOCKS.difference);
	const [share] = columnsOf(figures, TILE_BLOCKS.share);
	const value = at(figures, 0, own);
	const read = (column: number | undefined) => (column === undefined ? null : at(figures, 0, column));
	return {
		line,
		value,
		against: read(other),
		difference: read(difference),
		share: read(share),
		news:
			difference === undefined
				? undefined
				: figures.good.includes(difference)
					? 'good'
					: figures.bad.includes(difference)
						? 'bad'
						: undefined,
		level: line.thresholds && value !== null ? levelOf(line.thresholds, value) : undefined,
		course: columnsOf(figures, TILE_BLOCKS.course).flatMap((column) => at(figures, 0, column) ?? []),
		isDrafted: figures.drafted.includes(own),
		isIncomplete: figures.incomplete.includes(own),
		percent: figures.columns[own]!.percent,
		word: figures.words[own]
	};
}
