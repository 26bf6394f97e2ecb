import type { DimensionState, MemberState } from './state';

/** How one member differs between two states; a side is missing where the member is not there. */
export interface MemberDiff {
	id: number;
	before: MemberState | undefined;
	after: MemberState | undefined;
}

/** Every member that differs, in order of id, new ones as they were added. O(members). */
export function diffStates(before: DimensionState, after: DimensionState): MemberDiff[] {
	const found: MemberDiff[] = [];
	for (const [id, member] of before.members) {
		const other = after.members.get(id);
		if (member !== other && !sameMember(member, other)) found.push({ id, before: member, after: other });
	}
	for (const [id, member] of after.members) if (!before.members.has(id)) found.push({ id, before: undefined, after: member });
	return found;
}

/**
 * The state with a difference taken back.
 * @returns the names of members that were changed since, where it cannot be
 */
export function revertDiff(state: DimensionState, diffs: readonly MemberDiff[]): { next: DimensionState } | { changedSince: string[] } {
	const members = new Map(state.members);
	const changedSince: string[] = [];
	for (const { id, before, after } of diffs) {
		const now = members.get(id);
		if (after ? !now || !sameMember(now, after) : now) changedSince.push((now ?? after ?? before)!.name);
		else if (before) members.set(id, before);
		else members.delete(id);
	}
	return changedSince.length > 0 ? { changedSince } : { next: { ...state, members } };
}

function sameMember(one: MemberState, other: MemberState | undefined): boolean {
	return other !== undefined && JSON.stringify(ordered(one)) === JSON.stringify(ordered(other));
}

/** The same content in the same order, whatever the order in which it was put together. */
function ordered({ id, code, name, unassigned, retired, parent, weight, position, facts, places }: MemberState): unknown {
	const sorted = (record: Readonly<Record<string, unknown>>) => Object.entries(record).sort(([a], [b]) => (a < b ? -1 : 1));
	return [
		id,
		code,
		name,
		unassigned,
		retired,
		parent,
		weight,
		position,
		sorted(facts),
		sorted(places).map(([key, place]) => [
			key,
			(place as MemberState).parent,
			(place as MemberState).weight,
			(place as MemberState).position
		])
	];
}
