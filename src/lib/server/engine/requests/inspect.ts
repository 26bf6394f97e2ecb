import {
	BranchLayer,
	adjusts,
	CellFlag,
	CLEARED,
	EMPTY,
	isEmpty,
	isTranslated,
	isValue,
	leafCells,
	LeafReader,
	NOTHING,
	operandsOf,
	print,
	standingOrigins,
	type LiveFormula,
	type Model,
	type PeriodRange,
	type View
} from '../../../core';
import type { FormView } from '../form-view';
import type { PersonDraft } from '../person-draft';
import type { FormAsk } from './form';
import type { ModelEngine, OpenForm } from '../model-engine';
import { requireCell } from '../fault';

export interface Inspection {
	value: number | null;
	address: { dimension: string; member: string; path: string[] }[];
	/** Names the figure: members (ids) in address order, the period last; empty for figures the form computes. */
	place: number[];
	leaf: boolean;
	verdict: { kind: string; reason: string };
	/** In the reader's terms: what the figure consists of. */
	madeOf: { name: string; mode: string; value: number | null; cells: number; setAside: boolean }[];
	formula: string | null;
	/** What the formula comes to where something else shows: a figure above its result, or the result it had when it was closed. */
	result: number | null;
	/** Whether the result shows as it was when its slice was closed. */
	frozen: boolean;
	/** Where the branch changes a leaf: what the plan shows, and with which version of the branch it was written. */
	inBranch: { base: number | null; version: number } | null;
	notes: string[];
	/** For the history: leaf member ids per dimension beneath the cell, and leaf periods. */
	beneath: { members: number[][]; periods: number[]; year: number | undefined };
	/** The currency a leaf's amounts are stored in; null where there is none. */
	storedIn: string | null;
	/** The currency the reader looks in. */
	currency: string;
}

/** Everything the inspector tells of a grid cell, its history apart. */
function inspectCell({ form, draft, guard }: OpenForm, row: number, column: number): Inspection {
	const { model } = form;
	if (!form.isRead(row, column)) return inspectDerived(form, row, column);
	const { members, range, period: periodOrdinal } = form.cell(row, column);
	const { value, flags } = form.figure(row, column);
	const verdict = form.verdict(guard, row, column);
	const leaf = range.from === range.to && model.dimensions.every((dimension, axis) => dimension.isLeaf(members[axis]!));
	const facts = model.account(members[model.accountAxis]!);
	const formula = model.formula(members[model.accountAxis]!);
	const nameAccount = (account: number) => model.accounts.member(model.accounts.ordinal(account)!).name;
	const live = liveAt(model, members, range);
	// Of a cell that may not be read only its place is told; what was written beneath a total, to who reads all beneath it.
	const isHidden = leaf && !draft.reader.mayRead(members);
	const readsAll = draft.reader.visible?.readsCell(members) ?? true;
	// A figure that is typed above a result shows what it is made of, and what the result would be.
	const isAbove = live?.mayBeTyped === true && leaf && isValue(draft.reader.read(members, ...placeOfLeaf(model, range.from)));
	const frozen =
		live !== undefined && leaf && !isAbove && isValue(model.frozen?.get(members, ...placeOfLeaf(model, range.from)) ?? Number.NaN);
	return {
		value: isEmpty(value) ? null : value,
		address: [
			...model.dimensions.map((dimension, axis) => ({
				dimension: dimension.name,
				member: dimension.member(members[axis]!).name,
				path: dimension.tree.ancestors(members[axis]!).map((above) => dimension.member(above).name)
			})),
			{ dimension: model.periods.dimension.name, member: model.periods.dimension.member(periodOrdinal).name, path: [] }
		],
		place: placeOf(model, form, row, column),
		leaf,
		verdict: { kind: verdict.kind, reason: 'reason' in verdict ? verdict.reason : '' },
		madeOf:
			isHidden || formula || (live && !isAbove)
				? []
				: leaf
					? leafOrigins(draft, members, range.from)
					: originsBeneath(draft, members, range),
		formula: formula ? print(formula.expression, { member: nameAccount }) : live ? printLive(model, live) : null,
		frozen,
		inBranch: leaf && !isHidden ? heldInBranch(draft, members, range.from) : null,
		result: live && (isAbove || frozen) && !isHidden ? resultBeneath(draft, live, members, range.from) : null,
		notes: notesOf(flags, form.viewOf(row, column)),
		beneath: !readsAll
			? { members: [], periods: [], year: undefined }
			: {
					members: model.dimensions.map((dimension, axis) =>
						dimension.leavesOf(members[axis]!).map((ordinal) => dimension.member(ordinal).id)
					),
					periods: Array.from(
						{ length: Math.max(0, range.to - range.from + 1) },
						(_, index) => model.periods.dimension.member(model.periods.leaf(range.from + index).ordinal).id
					),
					year: leaf ? model.periods.leaf(range.from).fiscalYear : undefined
				},
		storedIn: leaf && facts && isTranslated(facts) && model.entityAxis >= 0 ? model.currencyOf(members[model.entityAxis]!) : null,
		currency: form.currencyOf(row, column)
	};
}

/** The members of a cell as ids, the period last. */
export function placeOf(model: Model, form: FormView, row: number, column: number): number[] {
	const { members, period } = form.cell(row, column);
	return [...model.dimensions.map((dimension, axis) => dimension.member(members[axis]!).id), model.periods.dimension.member(period).id];
}

/** A line the form computes: from which figures. */
function inspectDerived(form: FormView, row: number, column: number): Inspection {
	const [down, across] = [form.expanded.rows[row]!, form.expanded.columns[column]!];
	const { value, flags } = form.figure(row, column);
	const [line, lines] = across.derive ? [across.derive, form.expanded.columns] : [down.derive, form.expanded.rows];
	const operands = line ? operandsOf(line).map((place) => lines[place]!.label) : [];
	return {
		value: isEmpty(value) ? null : value,
		address: [
			{ dimension: 'Row', member: down.label, path: [] },
			{ dimension: 'Column', member: across.label, path: [] }
		],
		place: [],
		leaf: false,
		verdict: { kind: 'computed', reason: form.reasonComputed(row, column) },
		madeOf: [],
		result: null,
		frozen: false,
		inBranch: null,
		formula: operands.length > 0 ? operands.join(line!.kind === 'difference' ? ' − ' : ' against ') : null,
		notes: notesOf(flags, form.viewOf(row, column)),
		beneath: { members: [], periods: [], year: undefined },
		storedIn: null,
		currency: form.currencyOf(row, column)
	};
}

function heldInBranch(draft: PersonDraft, members: Int32Array, leaf: number): Inspection['inBranch'] {
	const layer = draft.base.layers[0];
	const { model, cube } = draft.base;
	const [year, position] = placeOfLeaf(model, leaf);
	if (!(layer instanceof BranchLayer)) return null;
	const all = layer.heldAt(members, year, position);
	const entry = all.find(({ origin }) => model.origin(origin)?.mode === 'entry');
	// Of results the one written last, where it makes a difference.
	const held =
		entry ?? (isValue(layer.get(members, year, position)) ? all.sort((one, other) => other.version - one.version)[0] : undefined);
	if (!held) return null;
	const base = cube.read(members, year, position);
	return { base: isEmpty(base) ? null : base, version: held.version };
}

/** Each origin's value at a leaf, what an entry sets aside marked so. In the cell's own currency. */
function leafOrigins(draft: PersonDraft, members: Int32Array, period: number): Inspection['madeOf'] {
	const { model } = draft.reader;
	const { fiscalYear, position } = model.periods.leaf(period);
	const drafted = draft.overlay.get(members, fiscalYear, position);
	const all = draft.base.contributions(members, fiscalYear, position);
	const hasEntry = isValue(drafted) && drafted !== CLEARED;
	const account = members[model.accountAxis]!;
	// With an entry of the draft's, or without the stored one where the draft takes it away.
	const shown = standingOrigins(
		model,
		account,
		all.filter(({ origin }) => !isValue(drafted) || model.origin(origin)?.mode !== 'entry')
	);
	const stored = all.map(({ origin, value }) => ({ value, ...model.origin(origin)! }));
	const found: Inspection['madeOf'] = [];
	const tried = draft.trial?.cells.get(members, fiscalYear, position) ?? EMPTY;
	const isTried = isValue(tried);
	if (isTried) found.push({ name: triedBy(draft), mode: 'draft', value: tried === NOTHING ? null : tried, cells: 1, setAside: false });
	if (isValue(drafted))
		found.push({
			name: drafted === CLEARED ? 'Entry taken away in your draft' : 'In your draft',
			mode: 'draft',
			value: drafted === CLEARED ? null : drafted,
			cells: 1,
			setAside: isTried
		});
	for (const { id, name, mode, value } of stored) {
		const isBeneathDraft = hasEntry && mode !== 'adds' && !adjusts(model, account);
		found.push({ name, mode, value: value === NOTHING ? null : value, cells: 1, setAside: isTried || isBeneathDraft || !shown.has(id) });
	}
	return found;
}

const triedBy = (draft: PersonDraft): string => `As “${draft.trial?.name ?? ''}” would leave it`;

/** How many cells beneath a figure each origin holds. */
function originsBeneath(draft: PersonDraft, members: Int32Array, range: PeriodRange): Inspection['madeOf'] {
	const { model } = draft.reader;
	const counts = new Map<string, { name: string; mode: string; cells: number }>();
	const count = (name: string, mode: string) => {
		const known = counts.get(name) ?? { name, mode, cells: 0 };
		known.cells++;
		counts.set(name, known);
	};
	for (const cell of leafCells(draft.reader, members, range)) {
		if (isValue(draft.trial?.cells.get(cell.address, cell.year, cell.position) ?? EMPTY)) count(triedBy(draft), 'draft');
		else if (isValue(draft.overlay.get(cell.address, cell.year, cell.position))) count('In your draft', 'draft');
		else
			for (const { origin } of draft.base.contributions(cell.address, cell.year, cell.position)) {
				const facts = model.origin(origin)!;
				count(facts.name, facts.mode);
			}
	}
	return [...counts.values()].map((each) => ({ ...each, value: null, setAside: false }));
}

function notesOf(flags: number, view: View): string[] {
	const notes: string[] = [];
	if (flags & CellFlag.unweighted) notes.push('Some cells beneath have a value and no weight; they are left out.');
	else if (flags & CellFlag.incomplete) notes.push('A rate is missing beneath this figure, so it lacks something.', ...missingRates(view));
	if (flags & CellFlag.mixedCurrency)
		notes.push('Blank in local currency, because several currencies lie beneath. Choose a reporting currency.');
	if (flags & CellFlag.mixedValues) notes.push('Blank, because different values lie beneath.');
	return notes;
}

/** The first of the rates that the form looked for and did not find. */
function missingRates({ missingRates: missing }: View): string[] {
	const named = missing
		.slice(0, 4)
		.map(({ from, to, use, rateSet, start, end }) => `${rateSet}: no ${use} rate from ${from} to ${to} for ${start} to ${end}.`);
	return missing.length > named.length ? [...named, `And ${missing.length - named.length} more on this form.`] : named;
}

/** The formula per leaf that computes a cell's account in all of its periods and scenarios. */
function liveAt(model: Model, members: ArrayLike<number>, range: { from: number; to: number }): LiveFormula | undefined {
	const account = members[model.accountAxis]!;
	const scenario = members[model.scenarioAxis]!;
	if (!model.live.has(account) || !model.scenarios.isLeaf(scenario)) return undefined;
	const [first, last] = [range.from, range.to].map((period) => model.live.at(account, scenario, period));
	return first === last ? first : undefined;
}

const printLive = (model: Model, { expression }: LiveFormula): string =>
	print(expression, {
		member: (member, dimension = model.accounts.id) => {
			const found = model.dimension(dimension)!;
			return found.member(found.ordinal(member)!).name;
		},
		dimension: (dimension) => model.dimension(dimension)!.name
	});

const placeOfLeaf = (model: Model, leaf: number): [year: number, position: number] => [
	model.periods.leaf(leaf).fiscalYear,
	model.periods.leaf(leaf).position
];

function resultBeneath(
	{ reader: { model, read } }: PersonDraft,
	live: LiveFormula,
	members: ArrayLike<number>,
	leaf: number
): number | null {
	// By operands that may be frozen themselves, as everything reads them.
	const value = new LeafReader(model, read).computed(live, Int32Array.from(members), ...placeOfLeaf(model, leaf));
	return isValue(value) ? value : null;
}

/** Everything about a figure of a form. */
export async function inspect(engine: ModelEngine, ask: FormAsk & { row: number; column: number }): Promise<Inspection> {
	const open = await engine.openForm(ask);
	requireCell(open.form, ask.row, ask.column);
	return inspectCell(open, ask.row, ask.column);
}
