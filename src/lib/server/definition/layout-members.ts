import { mapExpression, mapSelection, type Expression, type FormLayout, type MemberReference, type Selection } from '../../core';

/** Every member (id) a layout names. */
export function membersNamed(layout: FormLayout): Set<number> {
	const found = new Set<number>();
	mapMembers(layout, (member) => {
		found.add(member);
		return member;
	});
	return found;
}

/** The layout with every member it names replaced. */
export function mapMembers(layout: FormLayout, map: (member: number, dimension: number) => number): FormLayout {
	const reference = (each: MemberReference, dimension: number): MemberReference => (typeof each === 'number' ? map(each, dimension) : each);
	const selection = (each: Selection, dimension: number): Selection => mapSelection(each, (member) => map(member, dimension));
	const accounts = (expression: Expression): Expression => mapExpression(expression, map);
	const block = (each: FormLayout['rows'][number]): FormLayout['rows'][number] =>
		each.kind === 'cells'
			? {
					...each,
					parts: each.parts.map((part) => ({ ...part, selection: selection(part.selection, part.dimension) })),
					...(each.guidance && {
						guidance: Object.fromEntries(
							Object.entries(each.guidance).map(([member, words]) => [map(Number(member), each.parts.at(-1)?.dimension ?? 0), words])
						)
					})
				}
			: each;
	return {
		...layout,
		rows: layout.rows.map(block),
		columns: layout.columns.map(block),
		selectors: layout.selectors.map((part) => ({
			...part,
			selection: selection(part.selection, part.dimension),
			initial: map(part.initial, part.dimension)
		})),
		pinned: layout.pinned.map((part) => ({ ...part, member: map(part.member, part.dimension) })),
		...(layout.checks && {
			checks: layout.checks.map((check) => ({ ...check, left: accounts(check.left), right: accounts(check.right) }))
		}),
		...(layout.ownLines && {
			ownLines: { ...layout.ownLines, parent: reference(layout.ownLines.parent, layout.ownLines.dimension) }
		})
	};
}

/** The layout with every selection of members of one dimension replaced. */
export function mapSelections(layout: FormLayout, dimension: number, map: (selection: Selection) => Selection): FormLayout {
	const part = <Part extends { dimension: number; selection: Selection }>(each: Part): Part =>
		each.dimension === dimension ? { ...each, selection: map(each.selection) } : each;
	const block = (each: FormLayout['rows'][number]): FormLayout['rows'][number] =>
		each.kind === 'cells' ? { ...each, parts: each.parts.map(part) } : each;
	return { ...layout, rows: layout.rows.map(block), columns: layout.columns.map(block), selectors: layout.selectors.map(part) };
}
