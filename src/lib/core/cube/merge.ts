import { EMPTY, isEmpty, isSame } from '../number';
import { CLEARED, type Overlay, type OverlayCell } from './overlay';
import type { Reader } from './reader';
import { entryFor } from './standing';

/** A cell of an overlay whose base has moved since it was changed. */
export interface MergeConflict extends OverlayCell {
	/** What stood there when it was changed, and what stands there now; empty is NaN. */
	seen: number;
	now: number;
}

export interface Merge {
	/** The cells to write, with the value their entry takes (empty: the entry goes). */
	entries: (OverlayCell & { entry: number })[];
	conflicts: MergeConflict[];
}

/**
 * What merging an overlay into its base would write. A cell conflicts when the base no longer shows what it showed when
 * the cell was changed, unless it has been decided: `mine` is written all the same, `theirs` is left out.
 * O(changed cells).
 * @param base what the overlay lies over: a cube, or a branch of it
 * @param seen per changed cell what the base showed, `CLEARED` for empty; cells not in it never conflict
 */
export function mergeOverlay(
	base: Reader,
	overlay: Overlay,
	seen: Overlay,
	decide: (cell: OverlayCell) => 'mine' | 'theirs' | undefined = () => undefined
): Merge {
	const { model } = base;
	const merge: Merge = { entries: [], conflicts: [] };
	for (const cell of overlay.list()) {
		const { address, year, position, value } = cell;
		const decision = decide(cell);
		if (decision === 'theirs') continue;
		const noted = seen.get(address, year, position);
		const before = noted === CLEARED ? EMPTY : noted;
		const now = base.read(address, year, position);
		if (!isEmpty(noted) && decision !== 'mine' && !isSame(before, now)) merge.conflicts.push({ ...cell, seen: before, now });
		else merge.entries.push({ ...cell, entry: value === CLEARED ? EMPTY : entryFor(model, base, address, year, position, value) });
	}
	return merge;
}
