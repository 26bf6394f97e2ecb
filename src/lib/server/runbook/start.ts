import type pg from 'pg';
import { z } from 'zod';
import {
	membersNamed,
	namesAsked,
	originModeOf,
	recordOf,
	type Answers,
	type OriginDefinition,
	type ParameterDefinition
} from '../../core';
import { readAccessRules } from '../access';
import { pool, transaction } from '../database';
import { branchVersion, readOwnResults, type BranchVersion } from '../database/branch-series';
import { lockModel, numberChangeSet, PreparedChangeSet } from '../database/change-set';
import { keepStructureStill, lockRuns } from '../database/locks';
import { addressDimensions } from '../database/definitions';
import { askEngine, askRunner, type RunPlan, type TrialFigure } from '../engine';
import { Fault, notFound } from '../fault';
import { freezeAfter, setByStep } from '../locks';
import { doEveryMinute, handleJobs, noteJob, startJob, type JobToDo, type JobTruth } from '../jobs';
import { personById, requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { toStored } from './edit';
import { loadImports } from './load-imports';
import { keepReads, originsOfRun } from './origins';
import { asDrafts, readStored, type StoredRunbook } from './read';
import { answersSchema, runbookSchema } from './schema';
import { modelVersions } from '../database/structure-version';

/** Times a run is computed before it takes the model's lock while it computes. */
export const TRIES = 2;

export const previewSchema = z.object({
	answers: answersSchema,
	draft: runbookSchema,
	/** The places of the steps it is about; null for all. */
	only: z.array(z.number().int().min(0)).max(200).nullable(),
	/** Whether what they wrote would be taken away. */
	clears: z.boolean().default(false),
	/** Whether it is tried on what the person has typed and not saved. */
	onDraft: z.boolean().default(false)
});

export type PreviewAsk = Omit<z.infer<typeof previewSchema>, 'clears' | 'onDraft'> & { clears?: boolean; onDraft?: boolean };

/**
 * What a run of a runbook as it is on the page would do: counts, totals and sample cells. Nothing is written.
 */
export async function previewRun(
	person: SignedIn | undefined,
	modelId: number,
	id: number,
	{ answers, draft, only, clears = false, onDraft = false }: PreviewAsk
): Promise<Omit<RunPlan, 'series' | 'traces'>> {
	const reader = requirePermission(person, 'rule.read');
	await readStored(pool(), modelId, id);
	const { structure } = await modelVersions(pool(), modelId);
	const steps = await stepsOfDraft(modelId, structure, draft);
	const part = { clears, ...(only && { only: only.flatMap((place) => steps[place]?.id ?? []) }) };
	const {
		series: _,
		traces: __,
		...plan
	} = await planFor(reader, modelId, { ...draft, id, steps }, answers, { preview: true, onDraft, part });
	return plan;
}

/** A draft's steps. Those that are new have no origin yet: a stand-in, as if nothing were written before. */
export const stepsOfDraft = async (
	modelId: number,
	structure: number,
	draft: z.infer<typeof runbookSchema>
): Promise<StoredRunbook['steps']> =>
	(await toStored(modelId, structure, draft)).map((step, place) => ({
		...step,
		id: step.id ?? -1 - place
	})) as unknown as StoredRunbook['steps'];

export const runSchema = z.object({
	answers: answersSchema,
	/** The steps (ids) it is about; all without. */
	only: z.array(z.number().int()).min(1).max(200).optional(),
	/** Whether what they wrote is taken away, and nothing computed. */
	clears: z.boolean().default(false)
});

/** Which steps a run is about, and what it does with them. */
type Part = Pick<z.infer<typeof runSchema>, 'only' | 'clears'> & { goesOn?: boolean };

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

/** What a run would write, by the rights of its owner or of whoever runs it. */
export async function planFor(
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	answers: Answers,
	{
		preview,
		control,
		revision,
		onDraft,
		figures,
		part,
		branch
	}: {
		preview: boolean;
		control?: SharedArrayBuffer;
		revision?: number;
		onDraft?: boolean;
		figures?: boolean;
		part?: Part;
		branch?: BranchVersion | undefined;
	}
): Promise<RunPlan> {
	const writer = runbook.runsAs === null ? person : await personById(runbook.runsAs, modelId);
	const rules = await readAccessRules(writer, modelId);
	const variables = await pool().query<{ name: string; member: number }>(
		'SELECT name, member_id AS member FROM variable WHERE model_id = $1 AND member_id IS NOT NULL',
		[modelId]
	);
	const members = new Map(variables.rows.map(({ name, member }) => [name, member]));
	const named = membersNamed(runbook.parameters, answers, members, namesAsked(runbook.steps));
	const known = { ...runbook, steps: runbook.steps.filter(({ id }) => id > 0) };
	// Looking makes no origins: what has none yet is looked at as if it stood under a number of its own. Where the figures
	// themselves are wanted it matters whether a step adds or proposes, which its origin says.
	const origins = await originsOfRun(modelId, known, named, !preview || figures === true);
	const has = new Set(origins.originOf.map(([step]) => step));
	const unknown = runbook.steps.flatMap((step, rank): { step: number; origin: OriginDefinition }[] => {
		const mode = has.has(step.id) ? undefined : originModeOf(step);
		if (!mode) return [];
		const id = 1_000_000_000 + (++standIns % 100_000_000);
		return [{ step: step.id, origin: { id, name: step.name, mode, result: { runbook: runbook.id, step: step.id, rank } } }];
	});
	const versions = await modelVersions(pool(), modelId);
	// What steps read in the branch goes before what their runs in the plan read.
	const readHere = branch ? (await readOwnResults(pool(), branch.id)).map(({ origin, reads }): [number, number[]] => [origin, reads]) : [];
	return askRunner(modelId, 'planRun', {
		revision: revision ?? versions.revision,
		structure: versions.structure,
		steps: runbook.steps,
		parameters: runbook.parameters,
		answers,
		originOf: [...origins.originOf, ...unknown.map(({ step, origin }): [number, number] => [step, origin.id])],
		unknown: unknown.map(({ origin }) => origin),
		named,
		results: origins.results,
		readBy: [...origins.readBy, ...readHere],
		kinds: origins.kinds,
		// Computing is not typing: whoever may run writes wherever grants and locks let them.
		rules: { ...rules, mayEnter: true },
		onRefused: runbook.onRefused,
		preview,
		...part,
		branch,
		...(onDraft && { draftOf: person.id }),
		...(figures && { figures }),
		...(control && { control })
	});
}

/** Numbers for origins that are looked at and never stored. */
let standIns = 0;

export interface RunPayload {
	run: number;
	runbook: number;
	answers: Answers;
	/** Left out in jobs of before. */
	only?: number[] | undefined;
	clears?: boolean;
	/** Of a run in a branch. */
	branch?: number;
}

/** How a run that is under way is told to end, and what it is about. */
export interface RunControl {
	control: SharedArrayBuffer;
	signal: AbortSignal;
	part: Part;
}

/** Carries out a run as a job: tells the step it is at, and ends it when the job is to end. */
export async function underControl(
	job: JobToDo,
	tell: (done: number, words: string) => void,
	signal: AbortSignal,
	work: (person: SignedIn, runbook: StoredRunbook, how: RunControl) => Promise<string>
): Promise<{ words: string; result: { run: number } }> {
	const { run, runbook: id, only, clears = false } = job.payload as RunPayload;
	const part: Part = { clears, ...(only && { only }) };
	const control = new SharedArrayBuffer(8);
	const seen = new Int32Array(control);
	const cancel = () => Atomics.store(seen, 0, 1);
	signal.addEventListener('abort', cancel);
	const watch = setInterval(() => tell(Math.max(0, Atomics.load(seen, 1) - 1), `Step ${Math.max(1, Atomics.load(seen, 1))}`), 400);
	try {
		const person = requirePermission(await personById(job.personId, job.modelId), 'rule.run');
		return { words: await work(person, await readStored(pool(), job.modelId, id), { control, signal, part }), result: { run } };
	} catch (error) {
		if (signal.aborted && !(error instanceof Fault)) throw new Fault(409, 'cancelled', 'The run was cancelled. Nothing was computed.');
		throw error;
	} finally {
		clearInterval(watch);
		signal.removeEventListener('abort', cancel);
	}
}

/** What became of a run whose job did not end as it should. */
export const truthOfRun: JobTruth = async (job, { words }) => {
	const { run } = job.payload as RunPayload;
	// Waits for a run that is being committed at this moment: then it is done, and says so.
	const ended = await pool().query("UPDATE run SET state = 'failed', words = $2 WHERE id = $1 AND state = 'waiting'", [run, words]);
	if (ended.rowCount) return undefined;
	const found = await pool().query<{ state: string; words: string }>('SELECT state, words FROM run WHERE id = $1', [run]);
	return found.rows[0]?.state === 'done' ? { words: found.rows[0].words, result: { run } } : undefined;
};

handleJobs(
	'run',
	(job, tell, signal) =>
		underControl(job, tell, signal, async (person, runbook, { control, part }) => {
			const { run, answers } = job.payload as RunPayload;
			const loaded = await loadImports(
				runbook.runsAs === null ? person : await personById(runbook.runsAs, job.modelId),
				job.modelId,
				part.clears ? [] : runbook.steps.filter((step) => part.only?.includes(step.id) ?? true),
				(words) => tell(0, words)
			);
			if (signal.aborted) throw new Fault(409, 'cancelled', 'The run was cancelled. What was loaded stays; nothing was computed.');
			return carryOut(person, job.modelId, runbook, { run, answers, part, control, signal, loaded });
		}),
	truthOfRun
);

/** Ends runs whose job is no more. */
doEveryMinute(async () => {
	await pool().query(
		`UPDATE run r SET state = 'failed', words = 'The server stopped before this ran. Nothing was written; run it again.'
		WHERE r.state = 'waiting' AND r.at < now() - interval '1 minute'
			AND NOT EXISTS (SELECT FROM job j WHERE j.kind LIKE 'run%' AND j.state IN ('waiting', 'running') AND (j.payload ->> 'run')::integer = r.id)`
	);
});

/** Computes a run and stores it; computed again when another change came meanwhile. @returns what it did, in words */
async function carryOut(
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	{
		run,
		answers,
		part,
		control,
		signal,
		loaded
	}: { run: number; answers: Answers; part: Part; control: SharedArrayBuffer; signal: AbortSignal; loaded: readonly string[] }
): Promise<string> {
	// Where a runbook only loads, that nothing was computed is no news.
	const computes = runbook.steps.some((step) => step.active && (part.only?.includes(step.id) ?? true) && !recordOf(step).isBefore);
	const said = (plan: RunPlan) => [...loaded, ...(computes || loaded.length === 0 ? [runInWords(plan, part, runbook)] : [])].join(' ');
	const definition = await definitionNow(modelId, runbook, part);
	for (let tries = 1; ; tries++) {
		// Computed outside the lock, unless it has been overtaken before.
		const early = tries <= TRIES ? await planFor(person, modelId, runbook, answers, { preview: false, control, part }) : undefined;
		const outcome = await transaction(async (client): Promise<{ plan: RunPlan; revision: number | null } | undefined> => {
			await lockRuns(client, modelId);
			await keepStructureStill(client, modelId);
			let locked = early ? undefined : await lockModel(client, modelId);
			const plan = early ?? (await planFor(person, modelId, runbook, answers, { preview: false, control, part, revision: locked! }));
			refuseFaults(plan);
			const dimensionIds = await addressDimensions(client, modelId);
			// The model has other dimensions than when it was computed.
			if (plan.series[0] && plan.series[0].members.length !== dimensionIds.length) throw new Overtaken();
			const prepared = new PreparedChangeSet(client, modelId, dimensionIds, await numberChangeSet(client));
			await prepared.write(plan.series);
			if (signal.aborted) throw new Fault(409, 'cancelled', 'The run was cancelled. Nothing was written.');
			locked ??= await lockModel(client, modelId);
			// Another change set may have met what it read or wrote: computed again.
			if (locked !== plan.revision) throw new Overtaken();
			const revision =
				plan.series.length === 0
					? null
					: await prepared.post({ modelId, person: person.id, kind: 'run', through: runbook.name, cells: plan.cells });
			await client.query(
				`UPDATE run SET state = 'done', words = $2, log = $3, totals = $4, cells = $5, read_revision = $6, revision = $7, definition = $8 WHERE id = $1`,
				[
					run,
					said(plan),
					JSON.stringify(plan.log),
					JSON.stringify(plan.totals.slice(0, 100)),
					plan.cells,
					plan.revision,
					revision,
					definition
				]
			);
			if (plan.locks.length > 0) await lockByRun(client, person, modelId, runbook, plan.locks);
			await keepReads(client, plan.reads);
			// Where nothing changed, how it was shared out before still holds.
			if (revision !== null) await keepTraces(client, run, plan.traces);
			return { plan, revision };
		}).catch((error: unknown) => {
			if (error instanceof Overtaken) return undefined;
			throw error;
		});
		if (!outcome) continue;
		// It is written; that the engine cannot follow at this moment makes it no failure.
		if (outcome.revision !== null) await askEngine(modelId, 'ready', { revision: outcome.revision }).catch(() => {});
		if (outcome.plan.locks.length > 0) await freezeAfter(modelId);
		return [said(outcome.plan), ...(await takeSnapshots(person, modelId, runbook, outcome.plan.snapshots))].join(' ');
	}
}

/** Takes a snapshot for a run that is stored: in the branch (id) it ran in, or of the plan. @returns what is said of it */
type TakeForRun = (
	person: SignedIn,
	modelId: number,
	taken: RunPlan['snapshots'][number] & { through: string; branch: number | null }
) => Promise<string>;
let takeForRun: TakeForRun | undefined;

/** Names who takes the snapshots of runs: what-if stands above rules. */
export const takeSnapshotsBy = (take: TakeForRun): void => void (takeForRun = take);

/** Takes the snapshots of a run that is stored, by the rights of whoever it runs as. @returns what is said of each */
export async function takeSnapshots(
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	snapshots: RunPlan['snapshots'],
	branch: number | null = null
): Promise<string[]> {
	const said: string[] = [];
	for (const each of snapshots) {
		const taker = runbook.runsAs === null || branch !== null ? person : await personById(runbook.runsAs, modelId);
		said.push((await takeForRun?.(taker, modelId, { ...each, through: `Run of “${runbook.name}”`, branch })) ?? '');
	}
	return said;
}

/** What runs is what the runbook says now, whatever it said when the run was asked for. */
export async function definitionNow(modelId: number, runbook: StoredRunbook, { clears }: Part): Promise<string> {
	const { structure } = await modelVersions(pool(), modelId);
	return JSON.stringify({ ...runbook, steps: await asDrafts(modelId, structure, runbook.steps), ...(clears && { clears: true }) });
}

/** Sets on the lock board what the lock steps of a run say, in its transaction, by the rights of whoever it runs as. */
async function lockByRun(
	client: pg.PoolClient,
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	locks: RunPlan['locks']
): Promise<void> {
	const writer = requirePermission(runbook.runsAs === null ? person : await personById(runbook.runsAs, modelId), 'lock.write');
	for (const { step, state, slices } of locks)
		await setByStep(client, modelId, writer, { state, slices, reason: `${runbook.name}, ${step}` });
}

async function keepTraces(client: pg.PoolClient, run: number, traces: RunPlan['traces']): Promise<void> {
	for (const [origin, trace] of traces)
		await client.query('INSERT INTO run_trace (run_id, origin_id, trace) VALUES ($1, $2, $3)', [run, origin, Buffer.from(trace)]);
}

/** @throws Fault where a run could not be worked out, or is too large to be kept */
export function refuseFaults(plan: RunPlan): void {
	if (plan.faults.length > 0) throw new Fault(422, 'not possible', plan.faults.map(({ message }) => message).join(' '));
	if (plan.isTooLarge)
		throw new Fault(413, 'too large', 'This run would write more than can be kept at once. Run it in parts: limit its steps.');
}

/** Thrown inside the transaction when the cells have moved on; it rolls back and is tried again. */
class Overtaken extends Error {}

export function runInWords({ cells, log }: RunPlan, { only, clears }: Part, { steps }: StoredRunbook): string {
	const names = only && steps.filter(({ id }) => only.includes(id)).map(({ name }) => name);
	const part = names && (names.length > 2 ? `${names.length} of ${steps.length} steps: ` : `${names.join(' and ')}: `);
	return `${part ?? ''}${clears ? 'Cleared. ' : ''}${whatChanged({ cells, log })}`;
}

function whatChanged({ cells, log }: Pick<RunPlan, 'cells' | 'log'>): string {
	const skipped = log.reduce((sum, step) => sum + step.skipped, 0);
	const count = (number: number) => (number === 1 ? 'One cell' : `${number.toLocaleString('en')} cells`);
	const changed = cells === 0 ? 'Nothing changed: everything stood there already.' : `${count(cells)} changed.`;
	return skipped === 0 ? changed : `${changed} ${count(skipped)} could not be written.`;
}
