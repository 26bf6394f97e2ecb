/** Runs as jobs: computed, stored, and what comes of them afterwards. */
import type pg from 'pg';
import { recordOf, type Answers } from '../../core';
import { pool, transaction } from '../database';
import { lockModel, numberChangeSet, PreparedChangeSet } from '../database/change-set';
import { addressDimensions } from '../database/definitions';
import { keepStructureStill, lockRuns } from '../database/locks';
import { modelVersions } from '../database/structure-version';
import { askEngine, type RunPlan } from '../engine';
import { Fault } from '../fault';
import { doEveryMinute, handleJobs, type JobToDo, type JobTruth } from '../jobs';
import { freezeAfter, setByStep } from '../locks';
import { personById, requirePermission, type SignedIn } from '../session';
import { loadImports } from './load-imports';
import { keepReads } from './origins';
import { planFor, type Part } from './plan';
import { asDrafts, readStored, type StoredRunbook } from './read';

/** Times a run is computed before it takes the model's lock while it computes. */
export const TRIES = 2;
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

/** Keeps how the steps of a run shared out, packed. */
export async function keepTraces(client: pg.PoolClient, run: number, traces: RunPlan['traces']): Promise<void> {
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
