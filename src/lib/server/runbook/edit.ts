import type pg from 'pg';
import { withPreset, type AllocationStep } from '../../core';
import { z } from 'zod';
import { pool, transaction } from '../database';
import { askEngine, type ScriptCheck } from '../engine';
import { Fault } from '../fault';
import { suspendSchedules } from '../jobs/moments';
import { requirePermission, type SignedIn } from '../session';
import { readStored } from './read';
import { dropRunbook, insertRunbook, putStep, updateRunbook, type StepToStore } from './store';
import { requireConsent } from './consent';
import { presetsOf } from './presets';
import { readRun } from './runs';
import { parameterSchema, runbookSchema, sliceSchema, type RunbookDraft, type StepDraft } from './schema';
import { modelVersions } from '../database/structure-version';
import { writeJournal } from '../definition/journal';

export const newRunbookSchema = z.object({ name: z.string().trim().min(1, 'give it a name').max(200) });

/** Makes an empty runbook. @throws Fault 409 when there is one of that name */
export async function createRunbook(
	person: SignedIn | undefined,
	modelId: number,
	{ name }: z.infer<typeof newRunbookSchema>
): Promise<{ id: number }> {
	const writer = requirePermission(person, 'rule.write');
	return transaction(async (client) => {
		const id = await insertRunbook(client, modelId, {
			name,
			description: '',
			parameters: [],
			onRefused: 'skip',
			whenBusy: 'wait',
			runsAs: null
		});
		await note(client, writer.id, modelId, id, `Made the runbook “${name}”`, name, null, { name });
		return { id };
	});
}

/**
 * Stores a runbook as it is on the page. Scripts with faults are kept too: unfinished work is nobody's loss, and it does
 * not run.
 * @throws Fault 409 when it was changed meanwhile
 */
export async function saveRunbook(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	draft: RunbookDraft
): Promise<{ version: number; steps: number[] }> {
	const writer = requirePermission(person, 'rule.write');
	const before = await readStored(pool(), modelId, id);
	for (const of of [before.runsAs, draft.runsAs]) await requireConsent(writer, of);
	const { structure } = await modelVersions(pool(), modelId);
	const steps = await toStored(modelId, structure, draft);
	return transaction(async (client) => {
		const stored = await updateRunbook(client, modelId, id, { ...draft, steps });
		if (!stored)
			throw new Fault(
				409,
				'conflict',
				'Somebody else has changed this runbook meanwhile. Copy what you need, reload the page and put it in again.'
			);
		await note(
			client,
			writer.id,
			modelId,
			id,
			`Changed the runbook “${draft.name}”`,
			draft.name,
			asRecord(before),
			asRecord({ ...draft, steps })
		);
		await suspendSchedules(client, { table: 'runbook_schedule', column: 'runbook_id' }, id, writer.id);
		return stored;
	});
}

/** Makes a copy with the steps of a runbook, under a name of its own. */
export async function copyRunbook(person: SignedIn | undefined, modelId: number, id: number): Promise<{ id: number }> {
	const writer = requirePermission(person, 'rule.write');
	const { steps, name, ...rest } = await readStored(pool(), modelId, id);
	return transaction(async (client) => {
		const copy = await freeName(client, modelId, `${name}, copy`);
		// Whose rights the first one runs with is no consent to the second.
		const runsAs = rest.runsAs === writer.id ? rest.runsAs : null;
		const made = await insertRunbook(client, modelId, { ...rest, runsAs, name: copy });
		for (const [position, step] of steps.entries()) await putStep(client, made, position, { ...step, id: null });
		await note(client, writer.id, modelId, made, `Copied the runbook “${name}”`, copy, null, { name: copy });
		return { id: made };
	});
}

/**
 * Makes a runbook of what one was when it ran; its steps are new ones, with results of their own.
 * @throws Fault 404
 */
export async function runbookOfRun(person: SignedIn | undefined, modelId: number, run: number): Promise<{ id: number }> {
	const writer = requirePermission(person, 'rule.write');
	const { at, definition } = await readRun(person, modelId, run);
	const read = runbookSchema.safeParse({ version: 0, whenBusy: 'wait', ...(definition as object) });
	if (!read.success) throw new Fault(422, 'not possible', 'This run is of a time whose rules cannot be read any more.');
	const draft = { ...read.data, steps: read.data.steps.map((step) => ({ ...step, id: null })) };
	const { structure } = await modelVersions(pool(), modelId);
	const steps = await toStored(modelId, structure, draft);
	return transaction(async (client) => {
		const name = await freeName(client, modelId, `${draft.name.slice(0, 170)}, as of ${at.slice(0, 10)}`);
		const made = await insertRunbook(client, modelId, { ...draft, runsAs: draft.runsAs === writer.id ? draft.runsAs : null, name });
		for (const [position, step] of steps.entries()) await putStep(client, made, position, step);
		await note(client, writer.id, modelId, made, `Made a runbook of a run of “${draft.name}”`, name, null, { name });
		return { id: made };
	});
}

/** A name that no runbook of a model has yet. */
async function freeName(client: pg.PoolClient, modelId: number, wanted: string): Promise<string> {
	const names = await client.query<{ name: string }>('SELECT name FROM runbook WHERE model_id = $1', [modelId]);
	const taken = new Set(names.rows.map((row) => row.name));
	let free = wanted;
	for (let number = 2; taken.has(free); number++) free = `${wanted} ${number}`;
	return free;
}

/** Takes a runbook away. What its runs wrote stays until it is taken back or cleared. */
export async function deleteRunbook(person: SignedIn | undefined, modelId: number, id: number): Promise<void> {
	const writer = requirePermission(person, 'rule.write');
	const before = await readStored(pool(), modelId, id);
	await transaction(async (client) => {
		await dropRunbook(client, modelId, id);
		await note(client, writer.id, modelId, id, `Took away the runbook “${before.name}”`, before.name, asRecord(before), null);
	});
}

export const scriptSchema = z.object({
	text: z.string().max(1_100_000),
	parameters: z.array(parameterSchema).max(30),
	limits: sliceSchema,
	/** Where something was typed: only statements that reach there are looked at. */
	near: z.object({ from: z.number().int().min(0), to: z.number().int().min(0) }).optional()
});

/** What is wrong with a script that is being written. */
export async function checkScriptText(
	person: SignedIn | undefined,
	modelId: number,
	asked: z.infer<typeof scriptSchema>
): Promise<Pick<ScriptCheck, 'faults'>> {
	requirePermission(person, 'rule.read');
	const { structure } = await modelVersions(pool(), modelId);
	const { faults } = await askEngine(modelId, 'checkScript', { ...asked, structure, faultsOnly: true });
	return { faults };
}

/** Scripts with the members their names are. */
export async function toStored(
	modelId: number,
	structure: number,
	{ steps, parameters }: { steps: readonly StepDraft[]; parameters: RunbookDraft['parameters'] }
): Promise<StepToStore[]> {
	const stored: StepToStore[] = [];
	const presets = steps.some((step) => step.kind === 'allocation' && step.preset) ? await presetsOf(pool(), modelId) : [];
	for (const step of steps) {
		if (step.kind === 'allocation' && step.preset) {
			// What a step has of its preset is what that says now; of one that is gone it keeps what it has.
			const followed = presets.find(({ id }) => id === step.preset!.id);
			const { preset: _, ...plain } = step;
			stored.push((followed ? withPreset(step as AllocationStep, followed.settings) : plain) as unknown as StepToStore);
			continue;
		}
		if (step.kind !== 'formula') {
			stored.push(step as StepToStore);
			continue;
		}
		const { text, ...rest } = step;
		const { names } = await askEngine(modelId, 'checkScript', { structure, text, parameters, limits: step.limits });
		stored.push({ ...rest, script: { text, names } } as StepToStore);
	}
	return stored;
}

/** A definition for the journal. */
const asRecord = (runbook: object): unknown => JSON.parse(JSON.stringify(runbook)) as unknown;

async function note(
	client: pg.PoolClient,
	person: number,
	modelId: number,
	id: number,
	words: string,
	name: string,
	before: unknown,
	after: unknown
): Promise<void> {
	await writeJournal(client, { person, modelId, dimensionId: null, words, objects: [{ kind: 'runbook', id, name, before, after }] });
}
