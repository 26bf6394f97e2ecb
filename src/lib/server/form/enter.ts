import { dateStyle, numberStyle } from '../../core';
import type pg from 'pg';
import { z } from 'zod';
import { transaction } from '../database';
import { askEngine, type DraftChange, type EnterAnswer, type FormAnswer, type FormWindow } from '../engine';
import { requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { lockDraft, stepsLeft, storeChanges, storeStep } from './draft';
import { formAsk, readForm, type FormChoices } from './open';

/** Cells typed or pasted at once: at most a block of this many. */
const MOST_ENTRIES = 20_000;

const cell = z.object({ row: z.number().int().min(0), column: z.number().int().min(0) });

export const entriesSchema = z.object({
	entries: z
		.array(
			cell.extend({
				text: z.string().max(600),
				/** An empty text shall show as nothing, whatever was loaded there; of choices, dates and texts. */
				empties: z.boolean().optional()
			})
		)
		.min(1)
		.max(MOST_ENTRIES, `At most ${MOST_ENTRIES} cells fit into one block. Paste it in parts.`),
	/** The structure version the page shows: cells are named by their place in it. */
	structure: z.number().int().min(0),
	/** The lines that the page shows: as long as they are these, a change elsewhere in the model does not matter. */
	frame: z.string().max(100).optional(),
	method: z.enum(['in proportion', 'evenly', 'same value', 'like another']).default('in proportion'),
	like: z.record(z.string().regex(/^\d+$/), z.number().int()).optional(),
	/** Cells whose leaves keep their values. */
	kept: z.array(cell).max(2_000).optional(),
	overAll: z.boolean().optional(),
	confirmed: z.boolean().optional(),
	scale: z.union([z.literal(1), z.literal(1_000), z.literal(1_000_000)]).optional(),
	/** How numbers are written, where it is not the person's own way: a pasted block may come from elsewhere. */
	/** Names the entries: what is sent again under the same name is not applied again. */
	id: z.uuid().optional(),
	style: z.object({ decimal: z.enum(['.', ',']), group: z.enum([',', '.', ' ', '’', '']) }).optional()
});
export type Entries = z.input<typeof entriesSchema>;

export interface EntryOutcome {
	form: FormAnswer;
	faults: EnterAnswer['faults'];
	warnings: string[];
	steps: { undo: boolean; redo: boolean };
	/** Leaf cells that were changed. */
	changed: number;
}

/** Types into a form: computes what changes, keeps it in the person's draft, and answers with the form as it stands then. */
export async function enterFigures(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ entries, method = 'in proportion', structure, frame, like, style, id, ...options }: Entries,
	window?: FormWindow
): Promise<EntryOutcome> {
	const writer = requireBranchOpen(requirePermission(person, 'form.enter'));
	const stored = readForm(writer, modelId, code);
	// Asked before the transaction: within it only its own connection is used, or many at once would wait for each other.
	const asked = await formAsk(
		writer,
		modelId,
		stored.then(({ layout }) => layout),
		choices,
		0
	);
	const { id: formId } = await stored;
	return transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		const ask = { ...asked, draftVersion: draft.version, form: formId };
		const known = id === undefined ? undefined : await takenBefore(client, writer.id, modelId, id);
		if (known)
			return {
				...known,
				form: await askEngine(modelId, 'form', { ...ask, ...(window && { window }) }),
				steps: await stepsLeft(client, writer, modelId, formId),
				changed: 0
			};
		const { form, changes, faults, warnings } = await askEngine(modelId, 'enter', {
			...ask,
			...options,
			...(window && { window }),
			...(like && { like: Object.fromEntries(Object.entries(like).map(([dimension, member]) => [Number(dimension), member])) }),
			entries,
			method,
			seenStructure: structure,
			...(frame !== undefined && { seenFrame: frame }),
			style: style ?? numberStyle(writer.locale),
			dates: dateStyle(writer.locale)
		});
		if (id !== undefined)
			await client.query('INSERT INTO entry_taken (person_id, model_id, id, faults, warnings) VALUES ($1, $2, $3, $4, $5)', [
				writer.id,
				modelId,
				id,
				JSON.stringify(faults),
				JSON.stringify(warnings)
			]);
		if (changes.length === 0) return { form, faults, warnings, steps: await stepsLeft(client, writer, modelId, formId), changed: 0 };
		await storeChanges(client, draft.id, formId, changes);
		await storeStep(client, draft.id, formId, changes);
		// Typing forgets what was undone before.
		return { form, faults, warnings, steps: { undo: true, redo: false }, changed: changes.length };
	});
}

/** What came of entries that were sent before. */
async function takenBefore(
	client: pg.PoolClient,
	person: number,
	modelId: number,
	id: string
): Promise<Pick<EntryOutcome, 'faults' | 'warnings'> | undefined> {
	const found = await client.query<Pick<EntryOutcome, 'faults' | 'warnings'>>(
		'SELECT faults, warnings FROM entry_taken WHERE person_id = $1 AND model_id = $2 AND id = $3',
		[person, modelId, id]
	);
	return found.rows[0];
}

/** Takes the last entry of a form back, as far as its cells were not typed into since. */
export const undoEntry = (
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	window?: FormWindow
): Promise<EntryOutcome> => moveStep(person, modelId, code, choices, 'undo', window);

/** Does again what was undone last in a form. */
export const redoEntry = (
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	window?: FormWindow
): Promise<EntryOutcome> => moveStep(person, modelId, code, choices, 'redo', window);

async function moveStep(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	way: 'undo' | 'redo',
	window?: FormWindow
): Promise<EntryOutcome> {
	const writer = requireBranchOpen(requirePermission(person, 'form.enter'));
	const { id: formId, layout } = await readForm(writer, modelId, code);
	const asked = { ...(await formAsk(writer, modelId, layout, choices, 0)), form: formId };
	return transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		const found = await client.query<{ sequence: number; changes: DraftChange[] }>(
			way === 'undo'
				? 'SELECT sequence, changes FROM draft_step WHERE draft_id = $1 AND form_id = $2 AND NOT undone ORDER BY sequence DESC LIMIT 1'
				: 'SELECT sequence, changes FROM draft_step WHERE draft_id = $1 AND form_id = $2 AND undone ORDER BY sequence LIMIT 1',
			[draft.id, formId]
		);
		const step = found.rows[0];
		const ask = { ...asked, draftVersion: draft.version, ...(window && { window }) };
		if (!step)
			return {
				form: await askEngine(modelId, 'form', ask),
				faults: [],
				warnings: [],
				steps: { undo: way === 'redo', redo: way === 'undo' },
				changed: 0
			};
		const { form, changes } = await askEngine(modelId, 'restore', {
			...ask,
			changes: way === 'redo' ? step.changes : reversed(step.changes)
		});
		if (changes.length > 0) await storeChanges(client, draft.id, formId, changes);
		await client.query('UPDATE draft_step SET undone = $3 WHERE draft_id = $1 AND sequence = $2', [
			draft.id,
			step.sequence,
			way === 'undo'
		]);
		return { form, faults: [], warnings: [], steps: await stepsLeft(client, writer, modelId, formId), changed: changes.length };
	});
}

/** The changes that take others back, newest first. */
const reversed = (changes: readonly DraftChange[]): DraftChange[] =>
	[...changes].reverse().map((change) => ({ ...change, before: change.after, after: change.before }));
