import type { Dimension } from './dimension';

/** A member by id, or `chosen`: the one the reader picked in the selector of that dimension. */
export type MemberReference = number | 'chosen';

/** An expression that yields members of one dimension. Evaluated live, so a new member appears by itself. */
export type Selection =
	| { kind: 'these'; members: MemberReference[] }
	| { kind: 'children'; of: MemberReference }
	| { kind: 'leaves'; of: MemberReference }
	| { kind: 'under'; of: MemberReference };

/**
 * The ordinals a selection yields today, in tree order for tree selections and as listed for `these`.
 * References to members that are gone, and `chosen` without a choice, yield nothing.
 */
export function selectMembers(dimension: Dimension, selection: Selection, chosen?: number): number[] {
	const resolve = (reference: MemberReference): number | undefined => (reference === 'chosen' ? chosen : dimension.ordinal(reference));
	if (selection.kind === 'these') return selection.members.map(resolve).filter((ordinal) => ordinal !== undefined);
	const top = resolve(selection.of);
	if (top === undefined) return [];
	switch (selection.kind) {
		case 'children':
			return dimension.tree.children(top);
		case 'leaves':
			return dimension.tree.leaves(top);
		case 'under':
			return dimension.tree.under(top);
		default:
			return selection satisfies never;
	}
}
