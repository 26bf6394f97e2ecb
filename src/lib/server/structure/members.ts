import type pg from 'pg';
import { z } from 'zod';
import {
	dateStyle,
	numberStyle,
	applyEdits,
	diffStates,
	inTreeOrder,
	planRows,
	printField,
	revertDiff,
	type Edit,
	type FieldSpec,
	type MemberDiff,
	type PlanColumn,
	type PlanLine,
	type RowPlan
} from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { actOnDimension, type ActOutcome } from './act';
import {
	formulaObjects,
	formulaRows,
	isFormulaHeading,
	keepFormulas,
	keepFormulasAlone,
	putFormulas,
	triedIn,
	tryFormulas,
	Tried,
	type FormulaRow
} from './pasted-formulas';
import { replaceChoice } from './chosen';
import { handOverNumbers } from './hand-over';
import { readDimension, type LoadedDimension } from './read-state';
import { usesToldTo } from './used';
import { noteInJournal } from '../definition/journal';
import { lockDrafts, waitForLoads } from '../database/locks';
import { modelsKnowing } from '../definition/models';
import { replaceUses } from './used';
import type { Use } from '../definition/naming';

/** The members of a dimension in tree order, a list a column: small to send and quick to read. */
export interface MemberTable {
	id: number;
	code: string;
	name: string;
	kind: string;
	/** A list of choices, no axis of the model. */
	list: boolean;
	version: number;
	fields: FieldSpec[];
	hierarchies: string[];
	/** What references may name, where the list is short enough to choose from. */
	choices: Record<string, string[]>;
	/** Names of dimensions by code, where members name one. */
	dimensionNames: Record<string, string>;
	/** Names of people by address. */
	people: Record<string, string>;
	ids: number[];
	codes: string[];
	names: string[];
	depths: number[];
	weights: number[];
	/** 1 unassigned, 2 retired; bits. */
	marks: number[];
	/** A column for each field in use, empty where a member says nothing. */
	values: Record<string, string[]>;
	/** Ids of members that an alternate hierarchy does not hold. */
	outside: number[];
}

const MOST_CHOICES = 2_000;

/** The table of a dimension's members, in its main hierarchy or an alternate. */
export async function memberTable(person: SignedIn | undefined, modelId: number, code: string, hierarchy?: string): Promise<MemberTable> {
	requirePermission(person, 'structure.read');
	const dimension = await readDimension(pool(), modelId, code);
	if (hierarchy !== undefined && !dimension.hierarchies.includes(hierarchy))
		throw new Fault(404, 'not found', `There is no hierarchy ${hierarchy}.`);
	const lines = inTreeOrder(dimension.state, hierarchy);
	const inUse = dimension.state.fields.filter(({ key }) => lines.some(({ member }) => member.facts[key] !== undefined));
	const choices: Record<string, string[]> = {};
	const { style: _, peopleByName: __, ...lookups } = dimension.lookups;
	for (const [what, codes] of Object.entries(lookups))
		if (codes.size <= MOST_CHOICES && dimension.state.fields.some(({ to }) => to === what)) choices[what] = [...codes];
	return {
		id: dimension.id,
		code: dimension.code,
		name: dimension.state.name,
		kind: dimension.state.kind,
		list: dimension.list,
		version: dimension.version,
		fields: [...dimension.state.fields],
		hierarchies: dimension.hierarchies,
		choices,
		dimensionNames: choices.dimensions ? await namesOfDimensions(choices.dimensions) : {},
		people: choices.people ? await namesOfPeople(choices.people) : {},
		ids: lines.map(({ member }) => member.id),
		codes: lines.map(({ member }) => member.code),
		names: lines.map(({ member }) => member.name),
		depths: lines.map(({ depth }) => depth),
		weights: lines.map(({ member }) => (hierarchy === undefined ? member.weight : member.places[hierarchy]!.weight)),
		marks: lines.map(({ member }) => (member.unassigned ? 1 : 0) + (member.retired ? 2 : 0)),
		values: Object.fromEntries(inUse.map(({ key }) => [key, lines.map(({ member }) => printField(member.facts[key]))])),
		outside:
			hierarchy === undefined ? [] : [...dimension.state.members.values()].filter(({ places }) => !places[hierarchy]).map(({ id }) => id)
	};
}

const code = z.string().max(1_000);
const name = z.string().max(1_000);
const hierarchy = z.string().max(200).optional();
const editSchema: z.ZodType<Edit> = z.discriminatedUnion('act', [
	z.object({
		act: z.literal('add'),
		code,
		name,
		parent: z.number().int().nullable(),
		before: z.number().int().optional(),
		facts: z.record(z.string().max(220), z.string().max(1_000)).optional(),
		unassigned: z.boolean().optional(),
		hierarchy
	}),
	z.object({
		act: z.literal('set'),
		member: z.number().int(),
		field: z.string().max(220),
		value: z.string().max(1_000),
		was: z.string().max(1_000).optional(),
		hierarchy
	}),
	z.object({
		act: z.literal('move'),
		members: z.array(z.number().int()).min(1).max(20_000),
		parent: z.number().int().nullable(),
		before: z.number().int().optional(),
		hierarchy
	}),
	z.object({ act: z.literal('take out'), member: z.number().int(), hierarchy: z.string().max(200) }),
	z.object({ act: z.literal('remove'), member: z.number().int() })
]);
const handOverSchema = z.record(z.string().regex(/^\d+$/), z.string().max(100)).default({});
export const editsSchema = z.object({ edits: z.array(editSchema).min(1).max(20_000), handOver: handOverSchema });

/** Edits members: all or nothing. */
export async function editMembers(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	{ edits, handOver }: z.infer<typeof editsSchema>
): Promise<ActOutcome> {
	return actOnDimension(
		person,
		modelId,
		dimensionCode,
		inWords,
		(dimension) => {
			const result = applyEdits(dimension.state, edits, written(person, withPending(dimension, edits)));
			if ('next' in result) return result.next;
			const conflict = result.faults.find((fault) => fault.code === 'conflict');
			if (conflict) throw new Fault(409, 'conflict', conflict.message, { member: conflict.member });
			throw new Fault(422, 'not possible', result.faults[0]!.message, { faults: result.faults.slice(0, 100) });
		},
		handOver
	);
}

/** Numbers and dates are read in the person's own way. */
const written = (person: SignedIn | undefined, lookups: LoadedDimension['lookups']): LoadedDimension['lookups'] =>
	person ? { ...lookups, style: { numbers: numberStyle(person.locale), dates: dateStyle(person.locale) } } : lookups;

/** Codes that members are about to get may be named at once. */
function withPending(dimension: LoadedDimension, edits: readonly Edit[]): LoadedDimension['lookups'] {
	if (dimension.state.kind !== 'account') return dimension.lookups;
	const added = edits.flatMap((edit) => (edit.act === 'add' ? [edit.code] : []));
	return added.length === 0 ? dimension.lookups : { ...dimension.lookups, accounts: new Set([...dimension.lookups.accounts, ...added]) };
}

async function namesOfDimensions(codes: readonly string[]): Promise<Record<string, string>> {
	const found = await pool().query<{ code: string; name: string }>('SELECT code, name FROM dimension WHERE code = ANY ($1)', [codes]);
	return Object.fromEntries(found.rows.map(({ code, name }) => [code, name]));
}

async function namesOfPeople(emails: readonly string[]): Promise<Record<string, string>> {
	const found = await pool().query<{ email: string; name: string }>('SELECT email, name FROM person WHERE email = ANY ($1)', [emails]);
	return Object.fromEntries(found.rows.map(({ email, name }) => [email, name]));
}

/** A change in a sentence. */
function inWords(diffs: readonly MemberDiff[]): string {
	const quoted = (text: string) => `“${text}”`;
	if (diffs.length === 1) {
		const { before, after } = diffs[0]!;
		if (!before) return `Added ${quoted(after!.name)}`;
		if (!after) return `Deleted ${quoted(before.name)}`;
		if (before.name !== after.name) return `Renamed ${quoted(before.name)} to ${quoted(after.name)}`;
		if (before.code !== after.code) return `Recoded ${quoted(after.name)} from ${before.code} to ${after.code}`;
		if (before.parent !== after.parent || before.position !== after.position) return `Moved ${quoted(after.name)}`;
		if (before.retired !== after.retired) return `${after.retired ? 'Retired' : 'Took back'} ${quoted(after.name)}`;
		return `Changed ${quoted(after.name)}`;
	}
	const count = (number: number, what: string) => (number === 0 ? [] : [`${what} ${number}`]);
	const added = diffs.filter(({ before }) => !before).length;
	const removed = diffs.filter(({ after }) => !after).length;
	const parts = [...count(added, 'added'), ...count(diffs.length - added - removed, 'changed'), ...count(removed, 'deleted')];
	const sentence = `${parts.join(', ')} members`;
	return sentence[0]!.toUpperCase() + sentence.slice(1);
}

const MOST_ROWS = 120_000;
export const rowsSchema = z.object({
	/** The heading first. */
	grid: z
		.array(z.array(z.string().max(2_000)).max(200))
		.min(1)
		.max(MOST_ROWS),
	absent: z.enum(['keep', 'retire']).default('keep'),
	/** Apply the good rows although others have faults. */
	leaveOutFaulty: z.boolean().default(false),
	handOver: handOverSchema
});
export type PastedRows = z.infer<typeof rowsSchema>;

export interface PastePreview {
	columns: PlanColumn[];
	counts: Record<PlanLine['action'], number>;
	/** Faulty rows first, then what would happen; not all of many. */
	lines: PlanLine[];
	version: number;
}
const MOST_LINES = 2_000;

/** What pasted rows say, held against the dimension as it stands. @throws Fault 422 without a column of codes */
export async function planOfRows(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	rows: PastedRows
): Promise<{ dimension: LoadedDimension; plan: RowPlan }> {
	const dimension = await readDimension(pool(), modelId, dimensionCode);
	const plan = planRows(dimension.state, rows.grid, written(person, withPastedCodes(dimension, rows.grid)), rows.absent);
	requireCodes(plan.columns);
	return { dimension, plan };
}

/** What pasted rows would do, row by row. Nothing is changed. */
export async function previewRows(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	rows: PastedRows
): Promise<PastePreview> {
	requirePermission(person, 'structure.write');
	const { dimension, plan } = await planOfRows(person, modelId, dimensionCode, rows);
	const { counts } = plan;
	const { columns, lines } = await withFormulas(person, modelId, dimension, plan, rows);
	const order = { error: 0, retire: 1, move: 2, change: 3, add: 4, same: 5 };
	return {
		columns,
		counts,
		lines: lines.toSorted((a, b) => order[a.action] - order[b.action] || a.row - b.row).slice(0, MOST_LINES),
		version: dimension.version
	};
}

/** Applies pasted rows: all of them, or those without a fault where asked. */
export async function applyRows(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	rows: PastedRows
): Promise<ActOutcome> {
	const formulas = rowsWithFormulas(await readDimension(pool(), modelId, dimensionCode), rows);
	const outcome = await actOnRows(person, modelId, dimensionCode, rows, async (client, change) => {
		await noteInJournal(client, change, await formulaObjects(client, modelId, formulas, await keepFormulas(client, modelId, formulas)));
	});
	if (outcome.change !== null || formulas.length === 0) return outcome;
	const kept = await keepFormulasAlone(requirePermission(person, 'structure.write').id, modelId, formulas);
	return kept.length === 0
		? outcome
		: { ...outcome, change: 0, changed: kept.length, words: `Set ${kept.length} formulas from pasted rows` };
}

function actOnRows(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	rows: PastedRows,
	after: (client: pg.PoolClient, change: number) => Promise<void>
): Promise<ActOutcome> {
	return actOnDimension(
		person,
		modelId,
		dimensionCode,
		(diffs) => `${inWords(diffs)} from pasted rows`,
		(dimension) => {
			const { columns, counts, next } = planRows(
				dimension.state,
				rows.grid,
				written(person, withPastedCodes(dimension, rows.grid)),
				rows.absent
			);
			requireCodes(columns);
			if (counts.error > 0 && !rows.leaveOutFaulty)
				throw new Fault(422, 'not possible', `${counts.error} rows have a fault, so nothing was changed. Mend them, or leave them out.`);
			return next;
		},
		rows.handOver,
		after
	);
}

const rowsWithFormulas = ({ state }: LoadedDimension, { grid }: PastedRows): FormulaRow[] =>
	state.kind === 'account' ? formulaRows(grid) : [];

/** The plan of pasted rows with what their column of formulas would change, tried and left again. */
async function withFormulas(
	person: SignedIn | undefined,
	modelId: number,
	dimension: LoadedDimension,
	{ columns, counts, lines, next }: RowPlan,
	rows: PastedRows
): Promise<Pick<RowPlan, 'columns' | 'lines'>> {
	const formulas = rowsWithFormulas(dimension, rows);
	if (dimension.state.kind === 'account')
		for (const column of columns) if (isFormulaHeading(column.heading)) Object.assign(column, { field: 'formula', suggestion: undefined });
	if (formulas.length === 0 || counts.error > 0) return { columns, lines };
	const changes =
		diffStates(dimension.state, next).length === 0
			? await tryFormulas(modelId, formulas)
			: await triedIn(() =>
					actOnRows(person, modelId, dimension.code, rows, async (client) => {
						throw new Tried(await putFormulas(client, modelId, formulas));
					})
				);
	for (const { row, before, after, fault } of changes) {
		const line = lines.find((each) => each.row === row)!;
		line.changes.push({ title: 'Formula', before, after });
		if (!fault && line.action !== 'same') continue;
		counts[line.action]--;
		line.action = fault ? 'error' : 'change';
		counts[line.action]++;
		if (fault) line.faults.push(fault);
	}
	return { columns, lines };
}

function requireCodes(columns: readonly PlanColumn[]): void {
	if (!columns.some(({ field }) => field === 'code'))
		throw new Fault(
			422,
			'not understood',
			'The first row names the columns, and one of them has to be “Code”. Others that are known: Name, Parent, Weight, Retired, and the fields and attributes of this dimension.'
		);
}

/** Accounts may be weighed by accounts of the same paste. */
function withPastedCodes(dimension: LoadedDimension, grid: PastedRows['grid']): LoadedDimension['lookups'] {
	if (dimension.state.kind !== 'account') return dimension.lookups;
	const place = (grid[0] ?? []).findIndex((heading) => /^\s*(code|id|key|number|no)\s*$/i.test(heading));
	if (place < 0) return dimension.lookups;
	return {
		...dimension.lookups,
		accounts: new Set([...dimension.lookups.accounts, ...grid.slice(1).map((row) => (row[place] ?? '').trim())])
	};
}

export const removeSchema = z.discriminatedUnion('way', [
	z.object({ way: z.literal('delete') }),
	z.object({ way: z.literal('retire') }),
	z.object({ way: z.literal('replace'), by: z.number().int() })
]);

/** Deletes a member that nothing uses, retires it, or puts another in its place everywhere and deletes it. */
export async function removeMember(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	member: number,
	how: z.infer<typeof removeSchema>
): Promise<ActOutcome> {
	if (how.way === 'retire')
		return editMembers(person, modelId, dimensionCode, { edits: [{ act: 'set', member, field: 'retired', value: 'yes' }], handOver: {} });
	const writer = requirePermission(person, 'structure.write');
	return actOnDimension(person, modelId, dimensionCode, inWords, async (dimension, client) => {
		if (how.way === 'replace') {
			const [from, to] = [dimension.state.members.get(member), dimension.state.members.get(how.by)];
			if (!from || !to || from.id === to.id) throw new Fault(422, 'not possible', 'Choose another member to take its place.');
			const parents = new Set([...dimension.state.members.values()].map(({ parent }) => parent));
			if (parents.has(from.id) !== parents.has(to.id) || parents.has(to.id))
				throw new Fault(422, 'not possible', 'A leaf is replaced by a leaf: numbers stand at leaves only.');
			for (const { id } of await modelsKnowing(client, dimension.id)) await waitForLoads(client, id);
			await lockDrafts(client, null);
			await handOverNumbers(client, writer.id, dimension.id, from.id, to.id, `${to.name} took the place of ${from.name}`);
			await replaceChoice(client, writer.id, dimension.id, from.id, to.id, `${to.name} took the place of ${from.name}`);
			await replaceUses(client, { dimension: dimension.id, from: from.id, to: to.id });
		}
		const result = applyEdits(dimension.state, [{ act: 'remove', member }], dimension.lookups);
		if ('faults' in result) throw new Fault(422, 'not possible', result.faults[0]!.message);
		return result.next;
	});
}

/** Where a member is used. */
export async function memberUses(person: SignedIn | undefined, modelId: number, dimensionCode: string, member: number): Promise<Use[]> {
	const reader = requirePermission(person, 'structure.read');
	const dimension = await readDimension(pool(), modelId, dimensionCode);
	return usesToldTo(pool(), reader.id, dimension.id, member);
}

export interface HistoryLine {
	id: number;
	at: string;
	person: string | null;
	words: string;
	undone: boolean;
	/** For one member: what it said before and after. */
	changes: { title: string; before: string; after: string }[];
}

/** The last changes of a dimension, or of one member of it. */
export async function dimensionHistory(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string,
	member?: number
): Promise<HistoryLine[]> {
	requirePermission(person, 'structure.read');
	const dimension = await readDimension(pool(), modelId, dimensionCode);
	const found = await pool().query<{
		id: number;
		at: Date;
		person: string | null;
		words: string;
		undone: boolean;
		before: MemberDiff['before'] | null;
		after: MemberDiff['after'] | null;
	}>(
		`SELECT c.id, c.at, p.name AS person, c.words, c.undone_by IS NOT NULL AS undone, o.before, o.after
		FROM structure_change c LEFT JOIN person p ON p.id = c.person_id
		LEFT JOIN structure_change_object o ON o.change_id = c.id AND o.kind = 'member' AND o.object_id = $2
		WHERE c.dimension_id = $1 AND ($2::integer IS NULL OR o.object_id IS NOT NULL)
		ORDER BY c.id DESC LIMIT 50`,
		[dimension.id, member ?? null]
	);
	const codeOf = (id: number | null) => (id === null ? '' : (dimension.state.members.get(id)?.code ?? 'a deleted member'));
	const titles = new Map(dimension.state.fields.map(({ key, title }) => [key, title]));
	return found.rows.map(({ before, after, at, ...line }) => {
		const changes: HistoryLine['changes'] = [];
		const compare = (title: string, was: string, is: string) => {
			if (was !== is) changes.push({ title, before: was, after: is });
		};
		if (before && after) {
			compare('Name', before.name, after.name);
			compare('Code', before.code, after.code);
			compare('Parent', codeOf(before.parent), codeOf(after.parent));
			compare('Weight', String(before.weight), String(after.weight));
			compare('Retired', printField(before.retired), printField(after.retired));
			for (const key of new Set([...Object.keys(before.facts), ...Object.keys(after.facts)]))
				compare(titles.get(key) ?? key, printField(before.facts[key]), printField(after.facts[key]));
		}
		return { ...line, at: at.toISOString(), changes };
	});
}

/** Takes back the last change of a dimension that still stands. */
export async function undoStructure(person: SignedIn | undefined, modelId: number, dimensionCode: string): Promise<ActOutcome> {
	requirePermission(person, 'structure.write');
	let undone = 0;
	let words = '';
	return actOnDimension(
		person,
		modelId,
		dimensionCode,
		() => `Took back: ${words}`,
		async (dimension, client) => {
			const last = await client.query<{ id: number; words: string }>(
				`SELECT c.id, c.words FROM structure_change c
				WHERE c.dimension_id = $1 AND c.undone_by IS NULL AND NOT EXISTS (SELECT FROM structure_change u WHERE u.undone_by = c.id)
					AND c.id NOT IN (SELECT undone_by FROM structure_change WHERE undone_by IS NOT NULL)
				ORDER BY c.id DESC LIMIT 1`,
				[dimension.id]
			);
			const change = last.rows[0];
			if (!change) throw new Fault(422, 'not possible', 'There is nothing to take back.');
			undone = change.id;
			words = change.words;
			const objects = await client.query<{
				kind: string;
				id: number;
				before: MemberDiff['before'] | null;
				after: MemberDiff['after'] | null;
			}>('SELECT kind, object_id AS id, before, after FROM structure_change_object WHERE change_id = $1', [change.id]);
			const deleted = objects.rows.filter(({ kind, after }) => kind === 'hierarchy' && after === null);
			const others = objects.rows.filter((object) => !deleted.includes(object));
			if (objects.rows.length === 0 || others.some(({ kind }) => kind !== 'member'))
				throw new Fault(422, 'not possible', `“${change.words}” cannot be taken back here; change it again where it was made.`);
			const reverted = revertDiff(
				dimension.state,
				others.map(({ id, before, after }) => ({ id, before: before ?? undefined, after: after ?? undefined }))
			);
			if ('changedSince' in reverted)
				throw new Fault(409, 'conflict', `“${reverted.changedSince[0]}” was changed since, so this cannot be taken back as a whole.`);
			if (deleted.length === 0) return reverted.next;
			const names = deleted.map(({ before: hierarchy }) => hierarchy!.name);
			const taken = names.find((each) => dimension.hierarchies.includes(each));
			if (taken !== undefined) throw new Fault(409, 'conflict', `There is a hierarchy ${taken} again, so this cannot be taken back.`);
			return {
				next: reverted.next,
				hierarchies: [...dimension.hierarchies, ...names],
				objects: deleted.map(({ id, before: hierarchy }) => ({
					kind: 'hierarchy' as const,
					id,
					name: hierarchy!.name,
					before: null,
					after: { name: hierarchy!.name }
				}))
			};
		},
		{},
		async (client, change) => {
			await client.query('UPDATE structure_change SET undone_by = $2 WHERE id = $1', [undone, change]);
		}
	);
}
