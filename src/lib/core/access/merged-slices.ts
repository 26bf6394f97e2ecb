import type { SliceRule } from './rules';

/** A slice, and which of those it was made of it covers (their places). */
export interface MergedSlice {
	slice: SliceRule;
	from: number[];
}

/**
 * Fewer slices that cover exactly the same: those that differ in the members of one dimension alone become one, as the
 * closed months of a year do. O(slices × dimensions) a pass, and a pass for each dimension by which something merges.
 */
export function mergedSlices(slices: readonly SliceRule[]): MergedSlice[] {
	let merged: MergedSlice[] = slices.map((slice, place) => ({ slice, from: [place] }));
	const dimensions = [...new Set(slices.flatMap((slice) => Object.keys(slice).map(Number)))].sort((one, other) => one - other);
	for (let before = -1; before !== merged.length;) {
		before = merged.length;
		for (const dimension of dimensions) merged = mergedBy(dimension, merged);
	}
	return merged;
}

function mergedBy(dimension: number, slices: readonly MergedSlice[]): MergedSlice[] {
	const alike = new Map<string, MergedSlice[]>();
	for (const each of slices) {
		const { [dimension]: _, ...rest } = each.slice;
		const key = JSON.stringify(Object.entries(rest).map(([of, members]) => [of, [...members].sort((one, other) => one - other)]));
		alike.set(key, [...(alike.get(key) ?? []), each]);
	}
	return [...alike.values()].map((same) => {
		if (same.length === 1) return same[0]!;
		const { [dimension]: _, ...rest } = same[0]!.slice;
		const named = same.map(({ slice }) => slice[dimension]);
		const members = named.some((each) => each === undefined) ? {} : { [dimension]: [...new Set(named.flatMap((each) => each!))] };
		return { slice: { ...rest, ...members }, from: same.flatMap(({ from }) => from) };
	});
}
