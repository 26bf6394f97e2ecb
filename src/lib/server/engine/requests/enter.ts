import {
	enter as enterFigure,
	orNull,
	isSame,
	type DateOrder,
	type Figure,
	type Model,
	type NumberStyle,
	type SpreadMethod
} from '../../../core';
import { leafOfMember, periodMember, toMembers, toOrdinals } from '../addresses';
import { EngineFault, requireCell } from '../fault';
import type { FormView } from '../form-view';
import type { ModelEngine, OpenForm } from '../model-engine';
import { chosenOutside } from '../month-choices';
import { fromDraftValue, toDraftValue } from '../person-draft';
import { Pace } from '../turns';
import type { FormAnswer, FormAsk } from './form';
import { inputOf, textsTyped } from './typed';

export interface EntryAsk {
	row: number;
	column: number;
	text: string;
	/** An empty text shall show as nothing, whatever was loaded there. */
	empties?: boolean | undefined;
}

/** How entries are read and reach the leaves. */
export interface EntryOptions {
	method: SpreadMethod;
	/** For `like another`: the members that differ in the figure whose proportions are taken, by dimension id. */
	like?: Record<number, number> | undefined;
	/** Cells of the form whose leaves keep their values. */
	kept?: { row: number; column: number }[] | undefined;
	overAll?: boolean | undefined;
	confirmed?: boolean | undefined;
	/** What plain numbers count in. */
	scale?: number | undefined;
}

/** A draft cell before and after an entry; ids. A value, `cleared`, or null for "not in the draft". */
export interface DraftChange {
	address: number[];
	period: number;
	before: DraftValue;
	after: DraftValue;
	/** What stood in the cell without the draft; null for empty. */
	seen: number | null;
}

export interface EnterAnswer {
	form: FormAnswer;
	changes: DraftChange[];
	faults: { row: number; column: number; message: string; code: string }[];
	warnings: string[];
}

export type DraftValue = number | 'cleared' | 'nothing' | null;

export interface EnterAsk extends FormAsk, EntryOptions {
	entries: EntryAsk[];
	style: NumberStyle;
	/** How the person writes dates. */
	dates?: { order: DateOrder; months: readonly string[] };
	seenStructure: number;
}

export interface RestoreAsk extends FormAsk {
	changes: DraftChange[];
}

export interface RestoreAnswer {
	form: FormAnswer;
	changes: DraftChange[];
}

/** Types into cells of a form: what comes of it in the person's draft, and the form as it stands then. */
export const enter = (engine: ModelEngine, ask: EnterAsk): Promise<EnterAnswer> =>
	engine.changeDraft(ask, (open) => enterInto(engine, open, ask));

/** Puts draft cells back that still are as the changes found them; answers with those it changed. */
export const restore = (engine: ModelEngine, ask: RestoreAsk): Promise<RestoreAnswer> =>
	engine.changeDraft(ask, (open) => restoreInto(engine, open, ask));

async function enterInto(engine: ModelEngine, { form, draft, guard, answer }: OpenForm, ask: EnterAsk): Promise<EnterAnswer> {
	const { model } = engine;
	if (ask.seenFrame === undefined ? ask.seenStructure < engine.shaped : ask.seenFrame !== form.frame)
		throw new EngineFault('The lines of this form have changed meanwhile. The form shows them now; enter this again.');
	const changes: DraftChange[] = [];
	const faults: EnterAnswer['faults'] = [];
	const warnings = new Set<string>();
	const texts = await engine.words.placesOf(textsTyped(model, form, ask.entries));
	const total = totalsAmong(form, ask.entries);
	if (total.size > 0) warnings.add('Totals whose cells are in the block add up by themselves and were left out.');
	const kept = (ask.kept ?? []).flatMap(({ row, column }) => (form.isRead(row, column) ? [form.cell(row, column)] : []));
	const pace = new Pace();
	for (const [index, { row, column, text, empties }] of ask.entries.entries()) {
		await pace.rest();
		if (total.has(index)) continue;
		requireCell(form, row, column);
		if (form.isComputed(row, column)) {
			faults.push({ row, column, message: form.reasonComputed(row, column), code: 'may not write' });
			continue;
		}
		const { members, range } = form.cell(row, column);
		const input = inputOf(engine, members, text, texts, ask, empties);
		const result = enterFigure(
			{ reader: draft.reader, guard },
			{
				members,
				range,
				shown: form.figure(row, column).value,
				currency: form.currencyOf(row, column),
				input,
				method: ask.method,
				kept,
				overAll: ask.overAll ?? false,
				confirmed: ask.confirmed ?? false,
				...(ask.like && { like: likeFigure(model, members, form.cell(row, column).period, ask.like) })
			}
		);
		if ('fault' in result) {
			faults.push({ row, column, message: result.fault.message, code: result.fault.code });
			continue;
		}
		if (result.warning) warnings.add(result.warning);
		const chosen = input.kind === 'set' && isChoice(model, members) ? chosenOutside(model, members, input.value) : undefined;
		if (chosen) warnings.add(chosen);
		for (const { address, year, position, after } of result.changes) {
			await pace.rest();
			changes.push({
				address: toMembers(model, address),
				period: periodMember(model, year, position),
				before: toDraftValue(draft.overlay.get(address, year, position)),
				after: toDraftValue(after),
				seen: orNull(draft.seenAt(address, year, position))
			});
			engine.setDraftCell(ask, draft, address, year, position, after);
		}
	}
	// One ahead of the database until the caller has stored the changes; if it cannot, the draft is read anew.
	if (changes.length > 0) draft.version++;
	await pace.rest();
	return { form: await answer(), changes, faults, warnings: [...warnings] };
}

async function restoreInto(engine: ModelEngine, { draft, answer }: OpenForm, ask: RestoreAsk): Promise<RestoreAnswer> {
	const changes: DraftChange[] = [];
	const pace = new Pace();
	for (const change of ask.changes) {
		await pace.rest();
		const ordinals = toOrdinals(engine.model, change.address);
		const leaf = ordinals && leafOfMember(engine.model, ordinals, change.period);
		// What was typed over since, in another form, stays as it was typed.
		if (!ordinals || !leaf || !isSame(draft.overlay.get(ordinals, leaf.fiscalYear, leaf.position), fromDraftValue(change.before))) continue;
		changes.push(change);
		engine.setDraftCell(ask, draft, ordinals, leaf.fiscalYear, leaf.position, fromDraftValue(change.after));
	}
	if (changes.length > 0) draft.version++;
	return { form: await answer(), changes };
}

function isChoice(model: Model, members: Int32Array): boolean {
	return model.account(members[model.accountAxis]!)?.valueType === 'choice';
}

/** The figure at other members, for entries that take another figure's proportions. */
function likeFigure(model: Model, members: Int32Array, period: number, like: Readonly<Record<number, number>>): Figure {
	const other = members.map((ordinal, axis) => {
		const member = like[model.dimensions[axis]!.id];
		return member === undefined ? ordinal : (model.dimensions[axis]!.ordinal(member) ?? ordinal);
	});
	const { periods } = model;
	const asked = like[periods.dimension.id];
	const own = periods.range(period);
	const facts = asked === undefined ? undefined : periods.facts(periods.dimension.ordinal(asked) ?? -1);
	if (!facts) return { members: other, range: own };
	// A year stands for the same periods of that year.
	const years = facts.fiscalYear - periods.leaf(own.from).fiscalYear;
	const moved = (index: number) => periods.at(periods.leaf(index).fiscalYear + years, periods.leaf(index).position)?.index;
	const range =
		facts.level === 'year'
			? { from: moved(own.from) ?? own.from, to: moved(own.to) ?? own.to }
			: periods.range(periods.dimension.ordinal(asked!)!);
	return { members: other, range };
}

/**
 * The entries (places) at totals whose own cells are entered in the same block: entering both would count twice. O(rows ×
 * columns of the block) for the totals in it.
 */
function totalsAmong(form: FormView, entries: readonly { row: number; column: number }[]): Set<number> {
	const found = new Set<number>();
	if (entries.length < 2) return found;
	const inBlock = new Set(entries.map(({ row, column }) => `${row} ${column}`));
	const [rows, columns] = [new Set(entries.map(({ row }) => row)), new Set(entries.map(({ column }) => column))];
	const [below, beside] = [new Map<number, number[]>(), new Map<number, number[]>()];
	for (const row of rows)
		below.set(
			row,
			[...rows].filter((other) => other === row || form.isRowUnder(other, row))
		);
	for (const column of columns)
		beside.set(
			column,
			[...columns].filter((other) => other === column || form.isColumnUnder(other, column))
		);
	entries.forEach(({ row, column }, index) => {
		const isTotal = below
			.get(row)!
			.some((under) => beside.get(column)!.some((next) => (under !== row || next !== column) && inBlock.has(`${under} ${next}`)));
		if (isTotal) found.add(index);
	});
	return found;
}
