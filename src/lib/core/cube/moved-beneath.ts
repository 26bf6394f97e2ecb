import { isEmpty, isValue, sameAmount } from '../number';
import type { Cube } from './cube';
import { withoutEntry } from './standing';

/** An entry, and what stood beneath it when it was typed. */
export interface EntryNote {
	address: ArrayLike<number>;
	year: number;
	position: number;
	/** Proposals and additions together at that time; empty is NaN. */
	beneath: number;
}

/** "120 was typed when the step said 100; it now says 110." */
export type MovedBeneath<Note extends EntryNote = EntryNote> = Note & { typed: number; now: number };

/**
 * The entries beneath which proposals or additions have moved since they were typed, by more than half a unit of the
 * account's last decimal. Entries that are gone are passed over. O(entries).
 */
export function movedBeneath<Note extends EntryNote>(cube: Cube, notes: Iterable<Note>): MovedBeneath<Note>[] {
	const { model } = cube;
	const found: MovedBeneath<Note>[] = [];
	for (const note of notes) {
		const { address, year, position, beneath } = note;
		const entry = cube.contributions(address, year, position).find(({ origin }) => model.origin(origin)?.mode === 'entry');
		if (!entry) continue;
		const now = withoutEntry(model, cube, address, year, position);
		const decimals = model.account(address[model.accountAxis]!)?.decimals ?? 2;
		const moved = isEmpty(now) || isEmpty(beneath) ? isValue(now) !== isValue(beneath) : !sameAmount(now, beneath, decimals);
		if (moved) found.push({ ...note, typed: entry.value, now });
	}
	return found;
}
