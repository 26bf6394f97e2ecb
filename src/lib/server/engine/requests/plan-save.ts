import {
	isEmpty,
	mergeOverlay,
	Reader,
	orNull,
	type AccessRules,
	type Address,
	type Cube,
	type Model,
	type OverlayCell,
	type WriteGuard
} from '../../../core';
import { cellInWords, judgedPeriod, leafOfMember, periodMember, toMembers, toOrdinals } from '../addresses';
import type { BranchVersion } from '../../database/branch-series';
import { fromDraftValue, PersonDraft, toDraftValue } from '../person-draft';
import { placeOf } from './inspect';
import type { DraftValue } from './enter';
import type { FormAsk } from './form';
import type { ModelEngine } from '../model-engine';
import { EngineFault, requireCell, requireFrame } from '../fault';

export interface Conflict {
	address: number[];
	period: number;
	words: string;
	seen: number | null;
	now: number | null;
	mine: DraftValue;
}

export interface CellReference {
	address: number[];
	period: number;
}

/** How the person decided conflicts, cell by cell. */
export interface ConflictDecisions {
	keepMine: CellReference[];
	takeTheirs: CellReference[];
}

export interface SavePlan {
	conflicts: Conflict[];
	refused: { words: string; reason: string }[];
	cells: number;
	/** Whole series of the entry's origin, ids; amounts with null for empty. */
	series: { origin: number; members: number[]; year: number; before: Float64Array; amounts: Float64Array }[];
	entries: PlannedEntry[];
	/** Places in a year. */
	width: number;
}

/** A typed cell to be written; ids. */
export interface PlannedEntry {
	origin: number;
	address: number[];
	period: number;
	year: number;
	position: number;
	before: number;
	after: number;
	/** What proposals and additions come to beneath it, and what the plan itself shows. */
	beneath: number;
	shows: number;
}

export interface PlanSaveAsk {
	person: number;
	rules: AccessRules;
	draftVersion: number;
	/** The branch it is saved in; none is the plan itself. */
	branch?: BranchVersion | undefined;
	revision: number;
	structure: number;
	decisions: ConflictDecisions;
	/** Only what goes with this form. */
	form?: number;
	/** Only what lies within this slice: members (ids) by dimension, the leaves themselves. */
	within?: SliceLeaves;
}

/** A slice by its leaves (ids): of each dimension that limits it, and of its periods. */
export interface SliceLeaves {
	members: Readonly<Record<number, readonly number[]>>;
	periods: readonly number[];
	/** Parts of it that are left out, by their leaves. */
	except?: readonly Readonly<Record<number, readonly number[]>>[];
}

export interface PlanEntriesAsk {
	rules: AccessRules;
	revision: number;
	structure: number;
	cells: { address: number[]; period: number; value: number | null }[];
}

/**
 * What saving a draft would write: whole series of the entry's origin and every typed cell, or why it may not be saved:
 * cells that others changed meanwhile, and cells that are closed now.
 * @param form only what goes with this form
 * @param decisions cells whose conflict the person has decided: for their own value, or for the one that came meanwhile
 */
function planOf(draft: PersonDraft, guard: WriteGuard, decisions: ConflictDecisions, form?: number, within?: SliceLeaves): SavePlan {
	const lies = within ? liesWithin(draft.reader.model, within) : () => true;
	const { model, cube } = draft.reader;
	const plan = new EntryPlan(cube, guard);
	const keyOf = ({ address, period }: { address: number[]; period: number }) => `${address.join(' ')} ${period}`;
	const keepMine = new Set(decisions.keepMine.map(keyOf));
	const takeTheirs = new Set(decisions.takeTheirs.map(keyOf));
	const conflicts: SavePlan['conflicts'] = [];
	const referenceOf = ({ address, year, position }: OverlayCell) => ({
		address: toMembers(model, address),
		period: periodMember(model, year, position)
	});
	const merge = mergeOverlay(draft.base, form === undefined ? draft.overlay : draft.overlayOf(form), draft.seen, (cell) => {
		const key = keyOf(referenceOf(cell));
		return takeTheirs.has(key) ? 'theirs' : keepMine.has(key) ? 'mine' : undefined;
	});
	for (const conflict of merge.conflicts) {
		if (!lies(conflict.address, conflict.year, conflict.position)) continue;
		const { address, year, position, value, seen, now } = conflict;
		conflicts.push({
			...referenceOf(conflict),
			words: cellInWords(model, address, year, position),
			seen: orNull(seen),
			now: orNull(now),
			mine: toDraftValue(value)
		});
	}
	for (const { address, year, position, entry } of merge.entries)
		if (lies(address, year, position)) plan.add(address, year, position, entry, draft.reader.withoutEntry(address, year, position));
	return plan.finish(conflicts);
}

/** Whether a cell lies within a slice. */
function liesWithin(
	model: Model,
	{ members, periods, except = [] }: SliceLeaves
): (address: Address, year: number, position: number) => boolean {
	const setsOf = (of: SliceLeaves['members']) => model.dimensions.map(({ id }) => (of[id] ? new Set(of[id]) : undefined));
	const holds = (sets: readonly (Set<number> | undefined)[], address: Address) =>
		sets.every((set, axis) => !set || set.has(model.dimensions[axis]!.member(address[axis]!).id));
	const sets = setsOf(members);
	const out = except.map(setsOf);
	const months = new Set(periods);
	return (address, year, position) =>
		months.has(periodMember(model, year, position)) && holds(sets, address) && !out.some((part) => holds(part, address));
}

/** What setting the entries of some cells would write, past any draft: those that are closed now are refused. */
function planOfEntries(
	cube: Cube,
	guard: WriteGuard,
	cells: readonly { address: readonly number[]; period: number; value: number | null }[]
): SavePlan {
	const plan = new EntryPlan(cube, guard);
	const { model } = cube;
	const reader = new Reader(cube);
	for (const { address: members, period, value } of cells) {
		const address = toOrdinals(model, members);
		const leaf = address && leafOfMember(model, address, period);
		if (address && leaf)
			plan.add(address, leaf.fiscalYear, leaf.position, value ?? Number.NaN, reader.withoutEntry(address, leaf.fiscalYear, leaf.position));
	}
	return plan.finish([]);
}

/** Gathers entries, cell by cell, into whole series and lines of the journal. */
class EntryPlan {
	readonly #model: Model;
	readonly #cube: Cube;
	readonly #guard: WriteGuard;
	readonly #origin: number;
	readonly #series = new Map<string, SavePlan['series'][number]>();
	readonly #entries: SavePlan['entries'] = [];
	readonly #refused: SavePlan['refused'] = [];

	constructor(cube: Cube, guard: WriteGuard) {
		const { model } = cube;
		this.#model = model;
		this.#cube = cube;
		this.#guard = guard;
		this.#origin = model.definition.origins.find((origin) => origin.mode === 'entry')!.id;
	}

	/** @param beneath what proposals and additions come to at the cell */
	add(address: Address, year: number, position: number, entry: number, beneath: number): void {
		const model = this.#model;
		const verdict = this.#guard.leafVerdict(address, judgedPeriod(model, address, year, position));
		if (verdict.kind !== 'enter') {
			this.#refused.push({ words: cellInWords(model, address, year, position), reason: 'reason' in verdict ? verdict.reason : '' });
			return;
		}
		const members = toMembers(model, address);
		const key = `${members.join(' ')} ${year}`;
		let series = this.#series.get(key);
		if (!series) {
			const before = this.#cube.seriesOf(this.#origin, address, year);
			this.#series.set(key, (series = { origin: this.#origin, members, year, before, amounts: before.slice() }));
		}
		series.amounts[position] = entry;
		const period = periodMember(model, year, position);
		this.#entries.push({
			origin: this.#origin,
			address: members,
			period,
			year,
			position,
			before: series.before[position]!,
			after: entry,
			beneath,
			shows: this.#cube.read(address, year, position)
		});
	}

	finish(conflicts: SavePlan['conflicts']): SavePlan {
		const [series, entries] = [[...this.#series.values()], this.#entries];
		return { conflicts, refused: this.#refused, cells: entries.length, series, entries, width: this.#model.periods.width };
	}
}

/** What saving a draft would write. */
export async function planSave(
	engine: ModelEngine,
	{ person, rules, draftVersion, branch, revision, decisions, form, within }: PlanSaveAsk
): Promise<SavePlan> {
	await engine.reach(revision);
	return planOf(await engine.draftOf(person, draftVersion, branch), engine.guardOf(rules), decisions, form, within);
}

/** What setting entries past any draft would write. */
export async function planEntries(engine: ModelEngine, { rules, revision, cells }: PlanEntriesAsk): Promise<SavePlan> {
	await engine.reach(revision);
	return planCells(engine, rules, cells);
}

/** The same of an engine that is where it has to be. */
export const planCells = (engine: ModelEngine, rules: AccessRules, cells: PlanEntriesAsk['cells']): SavePlan =>
	planOfEntries(engine.cube, engine.guardOf(rules), cells);

/** What setting one leaf cell at once would write, past the person's draft: a draft of that cell alone. */
export async function planCell(
	engine: ModelEngine,
	ask: FormAsk & { row: number; column: number; value: number | null }
): Promise<SavePlan & { place: number[] }> {
	const { form, guard } = await engine.openForm(ask);
	requireFrame(form, ask.seenFrame);
	requireCell(form, ask.row, ask.column);
	const { model, cube } = engine;
	const verdict = form.verdict(guard, ask.row, ask.column);
	if (verdict.kind !== 'enter')
		throw new EngineFault('reason' in verdict ? verdict.reason : 'Detail lines stand behind single cells, not behind totals.');
	const { members, range } = form.cell(ask.row, ask.column);
	const { fiscalYear, position } = model.periods.leaf(range.from);
	const alone = new PersonDraft(new Reader(cube), 0);
	alone.overlay.set(members, fiscalYear, position, fromDraftValue(ask.value ?? 'cleared'));
	const seen = cube.read(members, fiscalYear, position);
	alone.seen.set(members, fiscalYear, position, isEmpty(seen) ? fromDraftValue('cleared') : seen);
	return {
		...planOf(alone, guard, { keepMine: [], takeTheirs: [] }),
		place: placeOf(model, form, ask.row, ask.column)
	};
}
