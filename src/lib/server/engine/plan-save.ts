import { CLEARED, EMPTY, entryFor, isEmpty, type Cube, type Model, type WriteGuard } from '../../core';
import { cellInWords, periodMember, toMembers } from './addresses';
import type { Conflict, ConflictDecisions, SavePlan } from './messages';
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
	const bySeries = new Map<string, SavePlan['series'][number]>();
	draft.overlay.each((address, year, position, value) => {
		const members = toMembers(model, address);
		const period = periodMember(model, year, position);
		const cell = keyOf({ address: members, period });
		if (takeTheirs.has(cell)) return;
		const words = cellInWords(model, address, year, position);
		const verdict = guard.leafVerdict(address, model.periods.at(year, position)!.index);
		if (verdict.kind !== 'enter') {
			plan.refused.push({ words, reason: 'reason' in verdict ? verdict.reason : '' });
			return;
		}
		const now = cube.read(address, year, position);
		const seen = draft.seenAt(cube, address, year, position);
		if (!same(now, seen) && !keepMine.has(cell)) {
			plan.conflicts.push({
				address: members,
				period,
				words,
				seen: orNull(seen),
				now: orNull(now),
				mine: toDraftValue(value)
			} satisfies Conflict);
			return;
		}
		const key = `${members.join(' ')} ${year}`;
		let series = bySeries.get(key);
		if (!series) {
			const before = cube.seriesOf(entryOrigin, address, year);
			bySeries.set(key, (series = { origin: entryOrigin, members, year, before, amounts: before.slice() }));
		}
		series.amounts[position] = value === CLEARED ? EMPTY : entryFor(model, cube, address, year, position, value);
		plan.entries.push({
			origin: entryOrigin,
			address: members,
			period,
			before: series.before[position]!,
			after: series.amounts[position]!
		});
	});
	plan.series = [...bySeries.values()];
	plan.cells = plan.entries.length;
	return plan;
}

const same = (left: number, right: number): boolean => left === right || (isEmpty(left) && isEmpty(right));
const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
