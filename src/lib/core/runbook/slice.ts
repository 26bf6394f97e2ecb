import { selectMembers } from '../dimension';
import type { Model } from '../model';
import type { Scope } from '../script';
import type { Slice } from './definition';

/** A slice as leaf members allowed on each axis, and leaf periods. */
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
			for (const ordinal of ordinals) for (const leaf of dimension.tree.leaves(ordinal)) allowed[leaf] = 1;
			axes.set(model.dimensions.indexOf(dimension), allowed);
		}
	}
	return { axes, periods };
}

/** Whether a leaf cell lies in a scope. */
export function inScope({ axes, periods }: Scope, address: Int32Array, leaf: number): boolean {
	if (periods && periods[leaf] === 0) return false;
	for (const [axis, allowed] of axes) if (allowed[address[axis]!] === 0) return false;
	return true;
}
