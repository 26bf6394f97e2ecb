import { isEmpty, mergeOverlay, type Cube, type Model, type OverlayCell, type WriteGuard } from '../../core';
import { cellInWords, judgedPeriod, periodMember, toMembers } from './addresses';
import type { ConflictDecisions, SavePlan } from './messages';
import { toDraftValue, type PersonDraft } from './person-draft';

/**
 * What saving a draft would write: whole series of the entry's origin and every typed cell, or why it may not be saved:
 * cells that others changed meanwhile, and cells that are closed now.
 * @param decisions cells whose conflict the person has decided: for their own value, or for the one that came meanwhile
 */
export function planSave(model: Model, cube: Cube, draft: PersonDraft, guard: WriteGuard, decisions: ConflictDecisions): SavePlan {
	const entryOrigin = model.definition.origins.find((origin) => origin.mode === 'entry')!.id;
	const keyOf = ({ address, period }: { address: number[]; period: number }) => `${address.join(' ')} ${period}`;
	const keepMine = new Set(decisions.keepMine.map(keyOf));
	const takeTheirs = new Set(decisions.takeTheirs.map(keyOf));
	const plan: SavePlan = { conflicts: [], refused: [], cells: 0, series: [], entries: [] };
	const referenceOf = ({ address, year, position }: OverlayCell) => ({
		address: toMembers(model, address),
		period: periodMember(model, year, position)
	});
	const merge = mergeOverlay(model, cube, draft.overlay, draft.seen, (cell) => {
		const key = keyOf(referenceOf(cell));
		return takeTheirs.has(key) ? 'theirs' : keepMine.has(key) ? 'mine' : undefined;
	});
	for (const conflict of merge.conflicts) {
		const { address, year, position, value, seen, now } = conflict;
		plan.conflicts.push({
			...referenceOf(conflict),
			words: cellInWords(model, address, year, position),
			seen: orNull(seen),
			now: orNull(now),
			mine: toDraftValue(value)
		});
	}
	const bySeries = new Map<string, SavePlan['series'][number]>();
	for (const cell of merge.entries) {
		const { address, year, position, entry } = cell;
		const verdict = guard.leafVerdict(address, judgedPeriod(model, address, year, position));
		if (verdict.kind !== 'enter') {
			plan.refused.push({ words: cellInWords(model, address, year, position), reason: 'reason' in verdict ? verdict.reason : '' });
			continue;
		}
		const { address: members, period } = referenceOf(cell);
		const key = `${members.join(' ')} ${year}`;
		let series = bySeries.get(key);
		if (!series) {
			const before = cube.seriesOf(entryOrigin, address, year);
			bySeries.set(key, (series = { origin: entryOrigin, members, year, before, amounts: before.slice() }));
		}
		series.amounts[position] = entry;
		plan.entries.push({
			origin: entryOrigin,
			address: members,
			period,
			before: series.before[position]!,
			after: entry,
			beneath: draft.overlay.withoutEntry(cube, address, year, position)
		});
	}
	plan.series = [...bySeries.values()];
	plan.cells = plan.entries.length;
	return plan;
}

const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
