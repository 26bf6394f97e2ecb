import type { Selection } from '../dimension';
import type { AxisBlock, CellBlock, FormLayout, SelectorPart } from '../form';
import { selectorOf, type ViewAxis } from './start';

/** What charts there are. */
export const CHARTS = ['line', 'column', 'stacked', 'bar', 'area', 'combined', 'bullet', 'scatter', 'heat map', 'treemap'] as const;
export type ChartKind = (typeof CHARTS)[number];

/** Which figures a tile reads: members down and across; everywhere else as chosen on the board, or where it says. */
export interface TileSource {
	rows: { dimension: number; selection: Selection };
	/** The period chosen on the board when left out. */
	columns?: { dimension: number; selection: Selection };
	/** Members by dimension (ids) that it reads at, whatever is chosen. */
	at: Readonly<Record<number, number>>;
	/** Whether the figures it is compared with are read too. */
	compare: boolean;
}

interface TileFrame {
	id: number;
	title: string;
	/** Columns of twelve, and rows. */
	width: number;
	height: number;
}

export type Tile = TileFrame &
	(
		| { kind: 'figure'; source: TileSource }
		| { kind: 'chart'; chart: ChartKind; source: TileSource }
		| { kind: 'table'; source: TileSource }
		/** What leads from the figure it is compared with to the one that is chosen, by the children of a member. */
		| { kind: 'waterfall'; account: number; by: number; at: Readonly<Record<number, number>> }
		/** A saved view or form, as a table, or typed into. */
		| { kind: 'view'; code: string }
		| { kind: 'form'; code: string }
		| { kind: 'note'; text: string }
		/** A picture kept with the board (id; 0 before one is chosen), and what it shows in words. */
		| { kind: 'picture'; picture: number; alt: string }
		| { kind: 'runbook'; runbook: number; label: string }
		| { kind: 'checks'; code: string }
		| { kind: 'progress' }
		| { kind: 'out of date' }
	);

/** What the figures of a board are compared with: another scenario, or so many years before. */
export type Against = { scenario: number } | { years: number };

export interface BoardContent {
	version: 1;
	/** Dimensions (ids) that are chosen on the board, each with the member chosen at first. */
	selectors: { dimension: number; initial: number; initialVariable?: string }[];
	against: Against | null;
	/** Currencies (ISO, or `local`) that can be chosen, the first one first. */
	currencies: string[];
	scale: 1 | 1_000 | 1_000_000;
	tabs: { name: string; tiles: Tile[] }[];
}

/** What a comparison needs to know of the model. */
export interface TileContext {
	axes: readonly ViewAxis[];
	/** How many places earlier a period of the chosen one's length lies one year before: 1 of years, 12 of months. */
	yearOf: number;
	/** What is compared with, where it is chosen: another scenario, so many years before, or both at once. */
	against: { scenario?: number; years?: number } | null;
}

/** Blocks of a tile's layout. */
export const TILE_BLOCKS = { chosen: 0, against: 1, course: 2, difference: 3, share: 4 } as const;

/**
 * The layout by which a tile is read: an ordinary form, so that it follows drafts, rights, currencies and new members as
 * forms do. Block 0 of its columns is what is chosen, 1 what it is compared with, 2 of a figure its course over the period.
 * A dimension it says nothing about stands at its top.
 * @throws TileFault where a comparison is not possible
 */
export function tileLayout(
	content: Pick<BoardContent, 'selectors' | 'currencies' | 'scale'>,
	tile: Tile,
	context: TileContext
): FormLayout {
	if (tile.kind !== 'figure' && tile.kind !== 'chart' && tile.kind !== 'table') throw new Error('this tile reads no figures of its own');
	const layout = layoutOf(content, tile.source, context);
	if (tile.kind === 'figure') {
		const period = periodAxis(context).id;
		const course = shownAt(tile.source, period) ?? { kind: 'leaves', of: 'chosen' };
		layout.columns.push(block(TILE_BLOCKS.course, scenarioFirst(layout, context, [{ dimension: period, selection: leavesOf(course) }])));
	}
	if (tile.kind !== 'chart' && tile.source.compare && context.against)
		layout.columns.push(
			{
				kind: 'derived',
				id: TILE_BLOCKS.difference,
				label: 'Difference',
				derivation: { how: 'difference', of: TILE_BLOCKS.chosen, base: TILE_BLOCKS.against }
			},
			{
				kind: 'derived',
				id: TILE_BLOCKS.share,
				label: 'in %',
				derivation: { how: '% difference', of: TILE_BLOCKS.chosen, base: TILE_BLOCKS.against }
			}
		);
	return layout;
}

/** A tile that cannot be read, in a sentence. */
export class TileFault extends Error {}

const periodAxis = ({ axes }: TileContext) => axes.find(({ kind }) => kind === 'period')!;
const scenarioAxis = ({ axes }: TileContext) => axes.find(({ kind }) => kind === 'scenario')!;

const block = (id: number, parts: CellBlock['parts']): AxisBlock => ({ kind: 'cells', id, parts, openLevels: 30 });

/** Where a board stands in a dimension: as a tile says, as is chosen, or at the top. */
function memberAt(
	{ selectors }: Pick<BoardContent, 'selectors'>,
	{ at }: { at: Readonly<Record<number, number>> },
	dimension: number,
	{ axes }: TileContext
): number | 'chosen' {
	if (at[dimension] !== undefined) return at[dimension];
	if (selectors.some((selector) => selector.dimension === dimension)) return 'chosen';
	return axes.find(({ id }) => id === dimension)?.top ?? 0;
}

/** Where a source stands in a dimension that is on none of its axes. */
const shownAt = ({ at }: TileSource, dimension: number): Selection | undefined =>
	at[dimension] === undefined ? undefined : { kind: 'these', members: [at[dimension]] };

/** The leaf periods under what a selection takes. */
function leavesOf(selection: Selection): Selection {
	if (selection.kind !== 'these') return selection;
	const each = selection.members.map((of): Selection => ({ kind: 'leaves', of }));
	return each.length === 1 ? each[0]! : { kind: 'any of', selections: each };
}

/** The parts of a block that continues those of a layout: with the scenario before, where it stands on the columns. */
function scenarioFirst(layout: FormLayout, context: TileContext, parts: CellBlock['parts']): CellBlock['parts'] {
	const [first] = layout.columns;
	const scenario = first?.kind === 'cells' && first.parts.find(({ dimension }) => dimension === scenarioAxis(context).id);
	return scenario ? [scenario, ...parts] : parts;
}

function layoutOf(
	content: Pick<BoardContent, 'selectors' | 'currencies' | 'scale'>,
	{ rows, columns, at, compare }: TileSource,
	context: TileContext
): FormLayout {
	const period = periodAxis(context).id;
	const scenario = scenarioAxis(context).id;
	const across = columns ?? {
		dimension: period,
		selection: { kind: 'these', members: [memberAt(content, { at }, period, context)] } as Selection
	};
	if (across.dimension === rows.dimension) throw new TileFault('The same dimension stands down and across. Choose another one.');
	const parts: CellBlock['parts'] = [{ dimension: across.dimension, selection: across.selection }];
	const blocks: AxisBlock[] = [];
	const against = compare ? context.against : null;
	if (!against) blocks.push(block(TILE_BLOCKS.chosen, parts));
	else {
		if (against.scenario !== undefined && (rows.dimension === scenario || across.dimension === scenario))
			throw new TileFault('Scenarios stand on this tile already: it cannot be compared with another one.');
		const years = against.years ?? 0;
		if (years !== 0 && rows.dimension === period)
			throw new TileFault('Periods stand down this tile: put them across to compare with another year.');
		const standing = (dimension: number): CellBlock['parts'][number] => ({
			dimension,
			selection: { kind: 'these', members: [memberAt(content, { at }, dimension, context)] }
		});
		// What is compared stands on the columns: the scenario first, then the period where it does not stand there already.
		const own: CellBlock['parts'] = [
			...(against.scenario === undefined ? [] : [standing(scenario)]),
			...(years === 0 || across.dimension === period ? [] : [standing(period)]),
			...parts
		];
		const other = own.map((part): CellBlock['parts'][number] => {
			if (part.dimension === scenario && against.scenario !== undefined)
				return { ...part, selection: { kind: 'these', members: [against.scenario] } };
			if (part.dimension === period && years !== 0) return { ...part, selection: earlier(part.selection, -years * context.yearOf) };
			return part;
		});
		blocks.push(block(TILE_BLOCKS.chosen, own), block(TILE_BLOCKS.against, other));
	}
	const onAxes = new Set([
		rows.dimension,
		...blocks.flatMap((each) => (each.kind === 'cells' ? each.parts.map(({ dimension }) => dimension) : []))
	]);
	const selectors: SelectorPart[] = content.selectors.flatMap(({ dimension, initial, initialVariable }) => {
		const axis = context.axes.find(({ id }) => id === dimension);
		return axis && at[dimension] === undefined ? [{ ...selectorOf(axis, initial), ...(initialVariable && { initialVariable }) }] : [];
	});
	const chosen = new Set(selectors.map(({ dimension }) => dimension));
	return {
		version: 2,
		rows: [block(0, [rows])],
		columns: blocks,
		selectors,
		pinned: context.axes
			.filter(({ id }) => !onAxes.has(id) && !chosen.has(id))
			.map(({ id, top }) => ({ dimension: id, member: at[id] ?? top })),
		currencies: content.currencies,
		scale: content.scale
	};
}

/** The same periods so many places before. @throws TileFault where a selection is not made of single places */
function earlier(selection: Selection, by: number): Selection {
	switch (selection.kind) {
		case 'these':
			return {
				kind: 'any of',
				selections: selection.members.map((of): Selection => ({ kind: 'relative', of, by, take: 'this' }))
			};
		case 'children':
		case 'leaves':
		case 'under':
			return { kind: 'relative', of: selection.of, by, take: selection.kind };
		case 'any of':
			return { ...selection, selections: selection.selections.map((each) => earlier(each, by)) };
		default:
			throw new TileFault('These periods cannot be moved by a year. Choose a period, or what is under one.');
	}
}
