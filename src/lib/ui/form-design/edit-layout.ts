import { cellBlocks, type AxisBlock, type CellBlock, type FormLayout, type Selection } from '$lib/core';

export type Tray = 'rows' | 'columns' | 'selectors' | 'pinned';
export type AxisName = 'rows' | 'columns';

/** What a dimension gets when it is put somewhere. */
export interface DimensionStart {
	kind: string;
	top: number;
}

/** The dimensions (ids) on an axis in the order they are nested. */
export const axisDimensions = (blocks: readonly AxisBlock[]): number[] => {
	const first = blocks.find((block) => block.kind === 'cells');
	return first?.kind === 'cells' ? first.parts.map(({ dimension }) => dimension) : [];
};

/** The dimensions (ids) of a tray. Those on an axis may stand among the selectors too. */
export function trayDimensions(layout: FormLayout, tray: Tray): number[] {
	return tray === 'rows' || tray === 'columns' ? axisDimensions(layout[tray]) : layout[tray].map(({ dimension }) => dimension);
}

/** Where a dimension stands; on an axis before anything else. */
export function trayOf(layout: FormLayout, dimension: number): Tray | null {
	return (['rows', 'columns', 'selectors', 'pinned'] as const).find((tray) => trayDimensions(layout, tray).includes(dimension)) ?? null;
}

/** Puts a dimension into a tray at a place, taking it out of where it stood. */
export function placeDimension(layout: FormLayout, dimension: number, to: Tray, at: number, start: DimensionStart): FormLayout {
	const isOnAxis = to === 'rows' || to === 'columns';
	const had = selectionOn(layout, dimension);
	const selector = layout.selectors.find((each) => each.dimension === dimension);
	// Periods on an axis may follow the year chosen in their selector.
	const keepsSelector = isOnAxis && selector !== undefined && readsChosen(had ?? firstSelection(start, true));
	const without = takeOut(layout, dimension, keepsSelector);
	if (isOnAxis) {
		const selection = had ?? firstSelection(start, keepsSelector);
		return onAxis(without, to, (parts) => [...parts.slice(0, at), { dimension, selection }, ...parts.slice(at)]);
	}
	if (to === 'selectors') {
		const part = selector ?? { dimension, selection: offered(start), initial: start.top };
		return { ...without, selectors: [...without.selectors.slice(0, at), part, ...without.selectors.slice(at)] };
	}
	const member = layout.pinned.find((each) => each.dimension === dimension)?.member ?? selector?.initial ?? start.top;
	return { ...without, pinned: [...without.pinned.slice(0, at), { dimension, member }, ...without.pinned.slice(at)] };
}

/** Lets the reader choose in a dimension that stands on an axis, or no longer. */
export function toggleSelector(layout: FormLayout, dimension: number, start: DimensionStart): FormLayout {
	const has = layout.selectors.some((each) => each.dimension === dimension);
	return {
		...layout,
		selectors: has
			? layout.selectors.filter((each) => each.dimension !== dimension)
			: [...layout.selectors, { dimension, selection: offered(start), initial: start.top }]
	};
}

/** Nests the dimensions of an axis in another order. */
export function orderAxis(layout: FormLayout, axis: AxisName, dimensions: readonly number[]): FormLayout {
	return onAxis(layout, axis, (parts) =>
		[...parts].sort((one, other) => dimensions.indexOf(one.dimension) - dimensions.indexOf(other.dimension))
	);
}

/** A block's own selection for a dimension. */
export function setSelection(layout: FormLayout, axis: AxisName, block: number, dimension: number, selection: Selection): FormLayout {
	return changeBlock(layout, axis, block, (each) =>
		each.kind === 'cells'
			? { ...each, parts: each.parts.map((part) => (part.dimension === dimension ? { ...part, selection } : part)) }
			: each
	);
}

export function changeBlock(layout: FormLayout, axis: AxisName, block: number, change: (block: AxisBlock) => AxisBlock): FormLayout {
	return { ...layout, [axis]: layout[axis].map((each) => (each.id === block ? change(each) : each)) };
}

/** A new block behind another one, or at the end: a copy of the last lines, lines computed from them, or a heading. */
export function addBlock(layout: FormLayout, axis: AxisName, kind: AxisBlock['kind'], after?: number): { layout: FormLayout; id: number } {
	const blocks = layout[axis];
	const id = Math.max(-1, ...blocks.map((block) => block.id)) + 1;
	const cells = blocks.filter((block) => block.kind === 'cells');
	const base = cells.find((block) => block.id === after) ?? cells.at(-1);
	const made: AxisBlock =
		kind === 'cells'
			? { ...(base ?? { parts: [] }), kind: 'cells', id }
			: kind === 'text'
				? { kind, id, label: axis === 'rows' ? 'Heading' : '' }
				: {
						kind,
						id,
						label: 'Difference',
						derivation: { how: 'difference', of: cells[0]?.id ?? 0, base: cells[1]?.id ?? cells[0]?.id ?? 0 }
					};
	const at = after === undefined ? blocks.length : blocks.findIndex((block) => block.id === after) + 1;
	return { layout: { ...layout, [axis]: [...blocks.slice(0, at), made, ...blocks.slice(at)] }, id };
}

export const removeBlock = (layout: FormLayout, axis: AxisName, block: number): FormLayout => ({
	...layout,
	[axis]: layout[axis].filter(({ id }) => id !== block)
});

/** Blocks in another order, by their ids. */
export const orderBlocks = (layout: FormLayout, axis: AxisName, ids: readonly number[]): FormLayout => ({
	...layout,
	[axis]: [...layout[axis]].sort((one, other) => ids.indexOf(one.id) - ids.indexOf(other.id))
});

const offered = ({ kind, top }: DimensionStart): Selection =>
	kind === 'scenario' || kind === 'period' ? { kind: 'level', depth: 0 } : { kind: 'under', of: top };

const firstSelection = ({ kind, top }: DimensionStart, follows: boolean): Selection =>
	kind === 'period'
		? follows
			? { kind: 'leaves', of: 'chosen' }
			: { kind: 'leaves', of: top }
		: kind === 'scenario'
			? { kind: 'these', members: [top] }
			: { kind: 'under', of: top };

const readsChosen = (selection: Selection): boolean => JSON.stringify(selection).includes('"chosen"');

const selectionOn = (layout: FormLayout, dimension: number): Selection | undefined =>
	cellBlocks(layout)
		.flatMap(({ parts }) => parts)
		.find((part) => part.dimension === dimension)?.selection;

function takeOut(layout: FormLayout, dimension: number, keepsSelector: boolean): FormLayout {
	const drop = (parts: CellBlock['parts']) => parts.filter((part) => part.dimension !== dimension);
	return {
		...onAxis(onAxis(layout, 'rows', drop), 'columns', drop),
		selectors: keepsSelector ? layout.selectors : layout.selectors.filter((each) => each.dimension !== dimension),
		pinned: layout.pinned.filter((each) => each.dimension !== dimension)
	};
}

/** Changes the parts of every block of an axis; an axis without a block gets one. */
function onAxis(layout: FormLayout, axis: AxisName, change: (parts: CellBlock['parts']) => CellBlock['parts']): FormLayout {
	const has = layout[axis].some((block) => block.kind === 'cells');
	const blocks: AxisBlock[] = has ? layout[axis] : [...layout[axis], { kind: 'cells', id: layout[axis].length, parts: [] }];
	const changed = blocks.map((block) => (block.kind === 'cells' ? { ...block, parts: change(block.parts) } : block));
	const isBare = !has && changed.every((block) => block.kind !== 'cells' || block.parts.length === 0);
	return { ...layout, [axis]: isBare ? layout[axis] : changed };
}
