import { selectMembers, type Dimension } from '../dimension';
import type { Model } from '../model';
import type { Slice } from './definition';

/** More slices than this are not meant: the step is limited too finely. */
export const MOST_LOCK_SLICES = 500;

/**
 * The slices a limit comes to, as the lock board knows them: one member (id) of each dimension that is limited, the largest
 * that lie within it wholly.
 * @returns undefined where there would be too many
 */
export function lockSlices(model: Model, limits: Slice, variables: ReadonlyMap<string, number>): number[][] | undefined {
	let slices: number[][] = [[]];
	for (const [id, selection] of Object.entries(limits)) {
		const dimension = model.dimension(Number(id));
		if (!dimension) continue;
		const members = largest(dimension, [...selectMembers(dimension, selection, { variables })]);
		if (slices.length * members.length > MOST_LOCK_SLICES) return undefined;
		slices = slices.flatMap((slice) => members.map((member) => [...slice, member]));
	}
	return slices;
}

/** The members (ids) of the main tree that hold exactly the leaves of some members, the largest of them. */
function largest(dimension: Dimension, ordinals: readonly number[]): number[] {
	const { tree } = dimension;
	const leaves = new Set(ordinals.flatMap((ordinal) => [...dimension.leavesOf(ordinal)]));
	const isWhole = (ordinal: number) => tree.leaves(ordinal).every((leaf) => leaves.has(leaf));
	const found: number[] = [];
	for (let at = 0; at < tree.order.length;) {
		const ordinal = tree.order[at]!;
		if (isWhole(ordinal)) {
			found.push(dimension.member(ordinal).id);
			at = tree.end[ordinal]!;
		} else at++;
	}
	return found;
}
