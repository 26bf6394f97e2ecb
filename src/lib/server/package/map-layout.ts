import type { FormLayout } from '../../core';

/** The layout with every rate set it reads at replaced. */
export function mapRateSets(layout: FormLayout, map: (rateSet: number) => number): FormLayout {
	const block = (each: FormLayout['rows'][number]) =>
		each.kind === 'cells' && each.reading?.rateSet !== undefined
			? { ...each, reading: { ...each.reading, rateSet: map(each.reading.rateSet) } }
			: each;
	return { ...layout, rows: layout.rows.map(block), columns: layout.columns.map(block) };
}

/** The layout with every dimension it names replaced. */
export function mapDimensions(layout: FormLayout, map: (dimension: number) => number): FormLayout {
	const block = (each: FormLayout['rows'][number]) =>
		each.kind === 'cells' ? { ...each, parts: each.parts.map((part) => ({ ...part, dimension: map(part.dimension) })) } : each;
	return {
		...layout,
		rows: layout.rows.map(block),
		columns: layout.columns.map(block),
		selectors: layout.selectors.map((part) => ({ ...part, dimension: map(part.dimension) })),
		pinned: layout.pinned.map((part) => ({ ...part, dimension: map(part.dimension) })),
		...(layout.ownLines && { ownLines: { ...layout.ownLines, dimension: map(layout.ownLines.dimension) } })
	};
}
