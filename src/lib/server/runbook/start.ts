/** Starting runs: whether somebody may have one, and whether it can run at all. */
import type { z } from 'zod';
import type { Answers, ParameterDefinition } from '../../core';
import { pool } from '../database';
import { branchVersion } from '../database/branch-series';
import { modelVersions } from '../database/structure-version';
import { askEngine, type TrialFigure } from '../engine';
import { Fault, notFound } from '../fault';
import { noteJob, startJob } from '../jobs';
import { requireBranchOpen, requirePermission, type SignedIn } from '../session';
import type { RunPayload } from './carry-out';
import { planFor, runSchema } from './plan';
import { asDrafts, readStored, type StoredRunbook } from './read';

/** Starts a run for those who look at rules. Others run what stands on their forms: a runbook may write with an owner's rights. */
export async function runRunbook(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	asked: z.input<typeof runSchema>
): Promise<{ run: number; job: number }> {
	requirePermission(person, 'rule.read');
	return startRun(person, modelId, id, asked);
}

/**
 * Starts a run as a job, once it is known that the person may have it; in the branch they work in, where they work in one.
 * @param mergedBranch of a run that was made in a branch and is now done in the plan: the branch
 * @throws Fault 422 with what is missing among the answers
 */
export async function startRun(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	asked: z.input<typeof runSchema>,
	mergedBranch?: number
): Promise<{ run: number; job: number }> {
	const runner = requireBranchOpen(requirePermission(person, 'rule.run'));
	const { answers, only, clears } = runSchema.parse(asked);
	const branch = runner.branch?.id;
	const runbook = await readStored(pool(), modelId, id);
	if (only?.some((step) => !runbook.steps.some(({ id: own }) => own === step))) throw notFound('step');
	const carried = runbook.steps.filter((step) => step.active && (only?.includes(step.id) ?? true));
	if (only && !clears && carried.length === 0)
		throw new Fault(422, 'not possible', 'What was to run is switched off. Switch it on, or choose another part.');
	const { structure } = clears ? await modelVersions(pool(), modelId) : await requireReady(modelId, runbook, answers, only);
	if (runbook.whenBusy === 'refuse') await refuseWhenBusy(modelId, runbook.name);
	const definition = { ...runbook, steps: await asDrafts(modelId, structure, runbook.steps) };
	const active = carried.length;
	const part = { only: only ?? null, clears };
	return startJob(async (client) => {
		const made = await client.query<{ id: number }>(
			`INSERT INTO run (model_id, runbook_id, name, person_id, state, answers, definition, branch_id, part, merged_branch_id)
			VALUES ($1, $2, $3, $4, 'waiting', $5, $6, $7, $8, $9) RETURNING id`,
			[
				modelId,
				id,
				runbook.name,
				runner.id,
				JSON.stringify(answers),
				JSON.stringify(definition),
				branch ?? null,
				JSON.stringify(part),
				mergedBranch ?? null
			]
		);
		await client.query(
			`INSERT INTO runbook_answer (runbook_id, person_id, answers) VALUES ($1, $2, $3)
		ON CONFLICT (runbook_id, person_id) DO UPDATE SET answers = excluded.answers`,
			[id, runner.id, JSON.stringify(answers)]
		);
		const run = made.rows[0]!.id;
		const job = await noteJob(
			client,
			modelId,
			runner.id,
			branch === undefined ? 'run' : 'run in a branch',
			branch === undefined ? runbook.name : `${runbook.name}, in a branch`,
			{ run, runbook: id, answers, only, clears, ...(branch !== undefined && { branch }) } satisfies RunPayload,
			active
		);
		return { run, job };
	});
}

/** @throws Fault 422 when the runbook has a fault, or something it asks for is left open */
async function requireReady(
	modelId: number,
	runbook: StoredRunbook,
	answers: Answers,
	only?: readonly number[]
): Promise<{ structure: number }> {
	const { structure } = await modelVersions(pool(), modelId);
	const findings = await askEngine(modelId, 'checkRunbook', { structure, steps: runbook.steps, parameters: runbook.parameters });
	const error = findings.find(({ severity, step }) => severity === 'error' && (step === null || (only?.includes(step) ?? true)));
	if (error) {
		const step = runbook.steps.find((each) => each.id === error.step);
		throw new Fault(422, 'not possible', `${step ? `${step.name}: ` : ''}${error.message}`);
	}
	const missing = missingAnswer(runbook.parameters, answers);
	if (missing) throw new Fault(422, 'not possible', `Choose ${missing.label}: nothing runs without it.`);
	return { structure };
}

/**
 * What a runbook would leave on a person's draft, figure by figure; nothing is written.
 * @throws Fault 422 when it cannot run, 413 when there are more figures than can be shown so
 */
export async function figuresOnDraft(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	answers: Answers
): Promise<{ name: string; figures: TrialFigure[]; revision: number }> {
	const runner = requirePermission(person, 'rule.run');
	const runbook = await readStored(pool(), modelId, id);
	await requireReady(modelId, runbook, answers);
	const branch = runner.branch && (await branchVersion(pool(), runner.branch.id));
	const plan = await planFor(runner, modelId, runbook, answers, { preview: true, onDraft: true, figures: true, branch });
	if (plan.faults.length > 0) throw new Fault(422, 'not possible', plan.faults.map(({ message }) => message).join(' '));
	const figures = plan.figures ?? [];
	if (figures.length > MOST_TRIED)
		throw new Fault(
			413,
			'too large',
			`“${runbook.name}” would change ${figures.length.toLocaleString('en')} figures; up to ${MOST_TRIED.toLocaleString('en')} can be tried in a draft. Look at its preview under Rules.`
		);
	return { name: runbook.name, figures, revision: plan.revision };
}

/** Figures that are shown over a draft at most: they come over and go into the database in one piece. */
const MOST_TRIED = 10_000;

/** The first thing that is asked and not answered. */
export const missingAnswer = (parameters: readonly ParameterDefinition[], answers: Answers): ParameterDefinition | undefined =>
	parameters.find(({ name }) => {
		const answer = answers[name] ?? null;
		return answer === null || answer === '' || (Array.isArray(answer) && answer.length === 0);
	});

/** @throws Fault 409 when another run of the model is under way */
async function refuseWhenBusy(modelId: number, name: string): Promise<void> {
	const busy = await pool().query<{ name: string }>(
		`SELECT r.name FROM job j JOIN run r ON r.id = (j.payload ->> 'run')::integer
		WHERE j.model_id = $1 AND j.kind LIKE 'run%' AND j.state IN ('waiting', 'running') AND r.state = 'waiting' LIMIT 1`,
		[modelId]
	);
	if (busy.rows[0])
		throw new Fault(
			409,
			'busy',
			`“${busy.rows[0].name}” is under way, and “${name}” is set not to wait for others. Run it when that has ended.`
		);
}

/** The answers a person gave last. */
export async function lastAnswers(person: SignedIn, runbook: number): Promise<Answers> {
	const found = await pool().query<{ answers: Answers }>('SELECT answers FROM runbook_answer WHERE runbook_id = $1 AND person_id = $2', [
		runbook,
		person.id
	]);
	return found.rows[0]?.answers ?? {};
}
