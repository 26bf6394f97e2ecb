import { z } from 'zod';
import type { Answers, FormRun } from '../../core';
import { pool, transaction } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { figuresOnDraft, startRun } from '../runbook';
import { asksOf, type RunAsk } from '../runbook/asks';
import { readStored } from '../runbook/read';
import { answersSchema } from '../runbook/schema';
import { draftVersion, endTrial, lockDraft } from './draft';
import { readForm, type FormChoices } from './open';

/** A runbook of a form, with what is left to be asked. */
export interface RunOfForm {
	runbook: number;
	label: string;
	when: FormRun['when'];
	description: string;
	asks: RunAsk[];
}

/** The runbooks that a form runs; none for those who may run none. */
export async function runsOfForm(person: SignedIn | undefined, modelId: number, code: string): Promise<RunOfForm[]> {
	const reader = requirePermission(person, 'form.read');
	// Where nothing may be changed nothing is offered, and nothing runs by itself.
	if (reader.branch?.whyNot) return [];
	if (!reader.permissions.includes('rule.run') || !reader.permissions.includes('form.enter')) return [];
	const { layout } = await readForm(reader, modelId, code);
	const found: RunOfForm[] = [];
	for (const { runbook, label, when } of layout.runs ?? []) {
		const stored = await readStored(pool(), modelId, runbook).catch(() => undefined);
		// One that was taken away leaves no dead button.
		if (!stored) continue;
		const shown = dimensionsOf(layout);
		const asks = await asksOf(
			reader,
			modelId,
			stored,
			({ kind, dimension }) => kind === 'member' && dimension !== null && shown.has(dimension)
		);
		found.push({ runbook, label: label || stored.name, when, description: stored.description, asks });
	}
	return found;
}

export const runFromFormSchema = z.object({ runbook: z.number().int(), answers: answersSchema });

/** Runs a runbook of a form for what the form shows. @throws Fault 404 when it is none of its runbooks */
export async function runFromForm(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ runbook, answers }: z.infer<typeof runFromFormSchema>
): Promise<{ run: number }> {
	const writer = requirePermission(person, 'form.enter');
	const { run } = await startRun(writer, modelId, runbook, {
		answers: await answersHere(writer, modelId, code, choices, { runbook, answers })
	});
	return { run };
}

/** Shows in a person's draft what a runbook of a form would leave on it, in place of what was tried before. */
export async function tryFromForm(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ runbook, answers }: z.infer<typeof runFromFormSchema>
): Promise<{ name: string; figures: number }> {
	const writer = requirePermission(person, 'form.enter');
	const given = await answersHere(writer, modelId, code, choices, { runbook, answers });
	const before = await draftVersion(pool(), writer, modelId);
	const { name, figures, revision } = await figuresOnDraft(writer, modelId, runbook, given);
	await transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		if (draft.version !== before)
			throw new Fault(409, 'conflict', 'Something was typed meanwhile, in another window perhaps. Try it again.');
		await endTrial(client, draft.id);
		await client.query(
			`INSERT INTO draft_trial_cell (draft_id, address, period_id, value)
			SELECT $1, ARRAY(SELECT jsonb_array_elements_text(address)::integer), period, value
			FROM jsonb_to_recordset($2::jsonb) AS x (address jsonb, period integer, value double precision)`,
			[draft.id, JSON.stringify(figures)]
		);
		await client.query(
			'UPDATE draft SET trial = $2, version = version + 1, trial_version = version + 1, trial_revision = $3 WHERE id = $1',
			[draft.id, name, revision]
		);
	});
	return { name, figures: figures.length };
}

/** Shows the draft again without what was tried on it. */
export async function endTrialOf(person: SignedIn | undefined, modelId: number): Promise<void> {
	const writer = requirePermission(person, 'form.enter');
	await transaction(async (client) => {
		const draft = await lockDraft(client, writer, modelId);
		await endTrial(client, draft.id);
		await client.query('UPDATE draft SET version = version + 1 WHERE id = $1', [draft.id]);
	});
}

/** Answers with what the form shows. @throws Fault 404 when the runbook is none of the form's */
async function answersHere(
	writer: SignedIn,
	modelId: number,
	code: string,
	choices: FormChoices,
	{ runbook, answers }: z.infer<typeof runFromFormSchema>
): Promise<Answers> {
	const { layout } = await readForm(writer, modelId, code);
	if (!layout.runs?.some((each) => each.runbook === runbook))
		throw new Fault(404, 'not found', 'This form runs no such runbook any more. Reload the page.');
	const shown = dimensionsOf(layout);
	const { parameters } = await readStored(pool(), modelId, runbook);
	const given: Record<string, Answers[string]> = { ...answers };
	for (const { name, kind, dimension } of parameters)
		if (kind === 'member' && dimension !== null && shown.has(dimension)) given[name] = choices.members[dimension] ?? shown.get(dimension)!;
	return given;
}

/** The members a form stands at before anything is chosen, by dimension. */
const dimensionsOf = ({
	selectors,
	pinned
}: {
	selectors: readonly { dimension: number; initial: number }[];
	pinned: readonly { dimension: number; member: number }[];
}) =>
	new Map([
		...selectors.map(({ dimension, initial }) => [dimension, initial] as const),
		...pinned.map(({ dimension, member }) => [dimension, member] as const)
	]);
