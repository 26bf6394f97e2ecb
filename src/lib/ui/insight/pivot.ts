/** What can be done to a view: a layout leads to another one. */
import type { AxisBlock, CellBlock, Emphasis, FormLayout, Selection } from '$lib/core';

type Axis = 'rows' | 'columns';
type Members = readonly number[];

const axisOf = (layout: FormLayout, dimension: number): Axis | undefined =>
	(['rows', 'columns'] as const).find((axis) =>
		layout[axis].some((block) => block.kind === 'cells' && block.parts.some((part) => part.dimension === dimension))
	);

/** Changes what a dimension's blocks take, wherever it stands; only in one block where it is named. */
function select(layout: FormLayout, dimension: number, change: (selection: Selection) => Selection, only?: number): FormLayout {
	const axis = axisOf(layout, dimension);
	if (!axis) return layout;
	return {
		...layout,
		[axis]: layout[axis].map((block) =>
			block.kind === 'cells' && (only === undefined || block.id === only)
				? {
						...block,
						parts: block.parts.map((part) => (part.dimension === dimension ? { ...part, selection: change(part.selection) } : part))
					}
				: block
		)
	};
}

/** A member with what lies right under it, in the place of what was there. */
export const drillInto = (layout: FormLayout, dimension: number, member: number): FormLayout =>
	select(layout, dimension, () => ({
		kind: 'any of',
		selections: [
			{ kind: 'these', members: [member] },
			{ kind: 'children', of: member }
		]
	}));

export const narrowTo = (layout: FormLayout, dimension: number, members: Members): FormLayout =>
	select(layout, dimension, () => ({ kind: 'these', members }));

export const leaveOut = (layout: FormLayout, dimension: number, members: Members): FormLayout =>
	select(layout, dimension, (from) => ({ kind: 'except', from, without: { kind: 'these', members } }));

/** Rows become columns and columns rows. */
export const swapAxes = (layout: FormLayout): FormLayout => ({ ...layout, rows: layout.columns, columns: layout.rows });

const nextId = (blocks: readonly AxisBlock[]): number => Math.max(-1, ...blocks.map(({ id }) => id)) + 1;
const cells = (blocks: readonly AxisBlock[]): CellBlock[] => blocks.filter((block) => block.kind === 'cells');

/** Whether columns are compared already. */
export const isCompared = (layout: FormLayout): boolean =>
	layout.columns.some(
		(block) => block.kind === 'derived' && (block.derivation.how === 'difference' || block.derivation.how === '% difference')
	);

/** The columns once more in another shape, then the differences, and of the last ones in percent. */
function beside(layout: FormLayout, headings: [string, string], shape: (block: CellBlock) => CellBlock): FormLayout {
	const own = cells(layout.columns);
	let id = nextId(layout.columns);
	const others = own.map((block) => ({ ...shape(block), id: id++, heading: headings[1], readOnly: true }));
	const compared = (how: 'difference' | '% difference', at: number): AxisBlock => ({
		kind: 'derived',
		id: id++,
		label: how === 'difference' ? 'Difference' : 'in %',
		derivation: { how, of: own[at]!.id, base: others[at]!.id }
	});
	return {
		...layout,
		columns: [
			...layout.columns.map((block) => (block.kind === 'cells' ? { ...block, heading: block.heading ?? headings[0] } : block)),
			...others,
			...own.map((_, at) => compared('difference', at)),
			compared('% difference', own.length - 1)
		]
	};
}

/** Another scenario beside the chosen one, with the differences. */
export function compareScenario(
	layout: FormLayout,
	scenario: number,
	[own, other]: [{ member: number; name: string }, { member: number; name: string }]
): FormLayout {
	const axis = axisOf(layout, scenario);
	if (axis === 'rows') return layout;
	// Where scenarios stand beside, they come onto the columns: the chosen one first, and it stays to be chosen.
	const onColumns: FormLayout =
		axis === 'columns'
			? layout
			: {
					...layout,
					columns: layout.columns.map((block) =>
						block.kind === 'cells'
							? {
									...block,
									parts: [
										{
											dimension: scenario,
											selection: {
												kind: 'these' as const,
												members: layout.selectors.some(({ dimension }) => dimension === scenario) ? (['chosen'] as const) : [own.member]
											}
										},
										...block.parts
									]
								}
							: block
					),
					pinned: layout.pinned.filter(({ dimension }) => dimension !== scenario)
				};
	return beside(onColumns, ['', other.name], (block) => ({
		...block,
		parts: block.parts.map((part) =>
			part.dimension === scenario ? { ...part, selection: { kind: 'these', members: [other.member] } } : part
		)
	}));
}

/** The same periods a year before beside the chosen ones, with the differences; undefined where they are not made of single places. */
export function compareYear(
	layout: FormLayout,
	period: number,
	placesOf: (reference: number | 'chosen') => number
): FormLayout | undefined {
	const axis = axisOf(layout, period);
	if (axis === 'rows') return undefined;
	const pinned = layout.pinned.find(({ dimension }) => dimension === period);
	const on: FormLayout =
		axis === 'columns'
			? layout
			: {
					...layout,
					columns: layout.columns.map((block) =>
						block.kind === 'cells'
							? {
									...block,
									parts: [
										...block.parts,
										{ dimension: period, selection: { kind: 'these' as const, members: [pinned?.member ?? ('chosen' as const)] } }
									]
								}
							: block
					),
					pinned: layout.pinned.filter(({ dimension }) => dimension !== period)
				};
	let fits = true;
	const shape = (block: CellBlock): CellBlock => ({
		...block,
		parts: block.parts.map((part) => {
			if (part.dimension !== period) return part;
			const selection = yearBefore(part.selection, placesOf);
			fits &&= selection !== undefined;
			return { ...part, selection: selection ?? part.selection };
		})
	});
	const made = beside(on, ['', 'A year before'], shape);
	return fits ? made : undefined;
}

function yearBefore(selection: Selection, placesOf: (reference: number | 'chosen') => number): Selection | undefined {
	const moved = (of: unknown, take: 'this' | 'children' | 'leaves' | 'under'): Selection | undefined =>
		typeof of === 'number' || of === 'chosen' ? { kind: 'relative', of, by: -placesOf(of), take } : undefined;
	const all = (each: (Selection | undefined)[]): Selection | undefined =>
		each.every((one) => one !== undefined) ? { kind: 'any of', selections: each } : undefined;
	switch (selection.kind) {
		case 'these':
			return all(selection.members.map((of) => moved(of, 'this')));
		case 'children':
		case 'leaves':
		case 'under':
			return moved(selection.of, selection.kind);
		case 'any of':
			return all(selection.selections.map((each) => yearBefore(each, placesOf)));
		default:
			return undefined;
	}
}

/**
 * Takes what was put beside away again: one copy of the columns stays, without computed ones. A scenario that came onto the
 * columns for it, and is chosen, goes back beside.
 */
export const compareNothing = (layout: FormLayout, scenario: number): FormLayout => {
	const compared = new Set(
		layout.columns.flatMap((block) => (block.kind === 'derived' && block.derivation.how === 'difference' ? [block.derivation.base] : []))
	);
	const isChosen = layout.selectors.some(({ dimension }) => dimension === scenario);
	const came = (part: CellBlock['parts'][number]): boolean =>
		part.dimension === scenario && isChosen && part.selection.kind === 'these' && part.selection.members.join() === 'chosen';
	return {
		...layout,
		columns: layout.columns
			.filter((block) => block.kind !== 'derived' && !compared.has(block.id))
			.map((block) => (block.heading === '' ? withoutHeading(block) : block))
			.map((block) =>
				block.kind === 'cells' && block.parts.length > 1 ? { ...block, parts: block.parts.filter((part) => !came(part)) } : block
			)
	};
};
function withoutHeading<Block extends AxisBlock>({ heading: _, ...block }: Block): Block {
	return block as Block;
}

const eachCells = (layout: FormLayout, axis: Axis, change: (block: CellBlock) => CellBlock): FormLayout => ({
	...layout,
	[axis]: layout[axis].map((block) => (block.kind === 'cells' ? change(block) : block))
});

/** Whether the columns of periods run since the beginning of the year. */
export const isToDate = (layout: FormLayout, period: number): boolean =>
	cells(layout[axisOf(layout, period) ?? 'columns']).some(({ toDate }) => toDate !== undefined);

export const setToDate = (layout: FormLayout, period: number, on: boolean): FormLayout =>
	eachCells(layout, axisOf(layout, period) ?? 'columns', ({ toDate: _, ...block }) => (on ? { ...block, toDate: 'year' } : block));

export const setNames = (layout: FormLayout, names: 'name' | 'code' | 'both'): FormLayout =>
	eachCells(layout, 'rows', (block) => ({ ...block, names }));

export const setTotalsAfter = (layout: FormLayout, after: boolean): FormLayout =>
	eachCells(layout, 'rows', (block) => ({ ...block, totalsAfter: after }));

/** Figures of the rows that stand out; none when left out. */
export const setEmphasis = (layout: FormLayout, emphasis: Emphasis | undefined): FormLayout =>
	eachCells(layout, 'rows', ({ emphasis: _, ...block }) => (emphasis ? { ...block, emphasis: [emphasis] } : block));

/** Each row as a share of the row's last column, the year's total as a rule. */
export function addShare(layout: FormLayout): FormLayout {
	const own = cells(layout.columns);
	const [of, base] = [own[0], own.at(-1)];
	if (!of || !base) return layout;
	return {
		...layout,
		columns: [
			...layout.columns,
			{ kind: 'derived', id: nextId(layout.columns), label: 'Share', derivation: { how: 'share', of: of.id, base: base.id } }
		]
	};
}
