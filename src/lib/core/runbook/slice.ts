import { selectMembers } from '../dimension';
import type { Model } from '../model';
import type { Scope } from '../script';
import type { Slice } from './definition';

/** A slice as leaf members allowed on each axis, and leaf periods. A group of an alternate hierarchy means its leaves. */
export function scopeOf(model: Model, slice: Slice, variables: ReadonlyMap<string, number>): Scope {
	const axes = new Map<number, Uint8Array>();
	let periods: Uint8Array | undefined;
	for (const [id, selection] of Object.entries(slice)) {
		const dimension = model.dimension(Number(id));
		if (!dimension) continue;
		const ordinals = selectMembers(dimension, selection, { variables });
		if (dimension === model.periods.dimension) {
			periods = new Uint8Array(model.periods.leaves.length);
			for (const ordinal of ordinals) {
				const { from, to } = model.periods.range(ordinal);
				if (to >= from) periods.fill(1, from, to + 1);
			}
		} else {
			const allowed = new Uint8Array(dimension.members.length);
			for (const ordinal of ordinals) for (const leaf of dimension.leavesOf(ordinal)) allowed[leaf] = 1;
			axes.set(model.dimensions.indexOf(dimension), allowed);
		}
	}
	return { axes, periods };
}

/**
 * How each leaf counts in what a slice names on one dimension: the product of the weights up to the member that was named,
 * the topmost of those named above it; in the whole dimension where the slice does not speak of it. Leaves named themselves
 * count as they are.
 */
export function weightsIn(model: Model, slice: Slice, axis: number, variables: ReadonlyMap<string, number>): Float64Array {
	const dimension = model.dimensions[axis]!;
	const selection = slice[dimension.id];
	const weights = new Float64Array(dimension.members.length);
	const named = new Set(selection ? selectMembers(dimension, selection, { variables }) : dimension.tree.roots());
	for (const ordinal of named) {
		const tree = dimension.treeOf(ordinal);
		if (tree.ancestors(ordinal).some((above) => named.has(above))) continue;
		dimension.eachWeightedLeaf(ordinal, (leaf, weight) => (weights[leaf] = weight));
	}
	return weights;
}

/** Whether a leaf cell lies in a scope. */
export function inScope({ axes, periods }: Scope, address: Int32Array, leaf: number): boolean {
	if (periods && periods[leaf] === 0) return false;
	return isAddressIn({ axes, periods }, address);
}

/** Whether an address lies in a scope, whatever the period. */
export function isAddressIn({ axes }: Scope, address: Int32Array): boolean {
	for (const [axis, allowed] of axes) if (allowed[address[axis]!] === 0) return false;
	return true;
}
