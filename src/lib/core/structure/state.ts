import type { DimensionKind } from '../dimension';
import type { FieldSpec, FieldValue } from './fields';

/** Where a member stands in a hierarchy: under which member (id), how it counts there, and where among its siblings. */
export interface Place {
	parent: number | null;
	weight: number;
	position: number;
}

/** A member with everything people may change about it. Immutable. */
export interface MemberState extends Place {
	/** Negative while it is not stored. */
	id: number;
	code: string;
	name: string;
	unassigned: boolean;
	retired: boolean;
	/** Facts of its kind and attributes, by field key; without those that are empty. */
	facts: Readonly<Record<string, FieldValue>>;
	/** Its places in alternate hierarchies, by their names. */
	places: Readonly<Record<string, Place>>;
}

/** A dimension as it stands at one moment. */
export interface DimensionState {
	name: string;
	kind: DimensionKind;
	fields: readonly FieldSpec[];
	members: ReadonlyMap<number, MemberState>;
}

/**
 * Members in the order of the tree, parents before children, with their depth; those without a known parent at the top.
 * Members of a circle do not appear. O(n log n).
 * @param hierarchy an alternate's name; its members only
 */
export function inTreeOrder(state: DimensionState, hierarchy?: string): { member: MemberState; depth: number }[] {
	const placeOf = (member: MemberState): Place | undefined => (hierarchy === undefined ? member : member.places[hierarchy]);
	const children = new Map<number | null, MemberState[]>();
	for (const member of state.members.values()) {
		const place = placeOf(member);
		if (!place) continue;
		const parent = place.parent !== null && state.members.has(place.parent) ? place.parent : null;
		const known = children.get(parent);
		if (known) known.push(member);
		else children.set(parent, [member]);
	}
	for (const siblings of children.values()) siblings.sort((a, b) => placeOf(a)!.position - placeOf(b)!.position || a.id - b.id);
	const found: { member: MemberState; depth: number }[] = [];
	const stack = (children.get(null) ?? []).toReversed().map((member) => ({ member, depth: 0 }));
	while (stack.length > 0) {
		const next = stack.pop()!;
		found.push(next);
		const below = children.get(next.member.id) ?? [];
		for (let index = below.length - 1; index >= 0; index--) stack.push({ member: below[index]!, depth: next.depth + 1 });
	}
	return found;
}
