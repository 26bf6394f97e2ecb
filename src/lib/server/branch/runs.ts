/** Runs in a branch: made, told, made again, put back. Their results are the branch's own. */
import type pg from 'pg';
import { z } from 'zod';
import type { Answers } from '../../core';
import { actingNow } from '../acting';
import { pool, transaction } from '../database';
import {
	branchVersion,
	lockBranch,
	putBackSeries,
	readBranchOrigins,
	readOwnResults,
	writeBranch,
	writeBranchRun
} from '../database/branch-series';
import { keepStructureStill } from '../database/locks';
import { modelVersions } from '../database/structure-version';
import { askRunner, type RunPlan } from '../engine';
import { Fault, notFound } from '../fault';
import { handleJobs } from '../jobs';
import {
	definitionNow,
	keepTraces,
	planFor,
	refuseFaults,
	runInWords,
	startRun,
	takeSnapshots,
	TRIES,
	truthOfRun,
	underControl,
	type RunControl,
	type RunPayload
} from '../runbook';
import { answersSchema } from '../runbook/schema';
import { readAsks, type RunAsk } from '../runbook/asks';
import { readStored, type StoredRunbook } from '../runbook/read';
import { requireBranchOpen, requirePermission, type SignedIn } from '../session';
import { branchFor, branchHere, whyNotWork } from './record';

/** A run made in a branch. */
export interface RunInBranch {
	id: number;
	name: string;
	person: string | null;
	at: string;
	state: 'waiting' | 'done' | 'failed' | 'taken back';
	words: string;
	/** Whether results of it stand in the branch: no later run has replaced them all. */
	stands: boolean;
	/** Whether something it read has changed since. */
	outOfDate: boolean;
}

const MOST_RUNS = 60;

/** The runs of a branch, the latest first. */
export async function readBranchRuns(person: SignedIn, branch: number): Promise<RunInBranch[]> {
	const found = await pool().query<Omit<RunInBranch, 'at'> & { at: Date }>(
		`SELECT r.id, r.name, p.name AS person, r.at, r.state, r.words, r.out_of_date AS "outOfDate",
			EXISTS (SELECT FROM branch_result x WHERE x.branch_id = r.branch_id AND x.run_id = r.id) AS stands
		FROM run r LEFT JOIN person p ON p.id = r.person_id WHERE r.branch_id = $1 ORDER BY r.id DESC LIMIT $2`,
		[branch, MOST_RUNS]
	);
	// How much a run changed is told to those who read everything.
	return found.rows.map((row) => ({ ...row, at: row.at.toISOString(), words: person.readsPart ? '' : row.words }));
}

/** A person in a branch they name, as if they had gone into it. @throws Fault 404, 409 */
export const into = async (person: SignedIn, modelId: number, id: number): Promise<SignedIn> =>
	requireBranchOpen({ ...person, branch: await branchHere(person, modelId, id) });

export const askSchema = z.object({ id: z.int(), runbook: z.int() });

/** What a runbook asks for before it runs, with what the person answered last. */
export async function asksInBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ id, runbook }: z.infer<typeof askSchema>
): Promise<{ asks: RunAsk[] }> {
	await branchFor(requirePermission(person, 'rule.run'), modelId, id);
	return readAsks(person, modelId, runbook);
}

export const runInSchema = z.object({ id: z.int(), runbook: z.int(), answers: answersSchema });

/** Runs a runbook in a branch: for those who look at rules, as in the plan. */
export async function runInBranch(
	person: SignedIn | undefined,
	modelId: number,
	{ id, runbook, answers }: z.infer<typeof runInSchema>
): Promise<{ run: number; job: number }> {
	const runner = requirePermission(requirePermission(person, 'rule.run'), 'rule.read');
	return startRun(await into(runner, modelId, id), modelId, runbook, { answers });
}

export const runOnly = z.object({ id: z.int(), run: z.int() });

interface StoredRun {
	id: number;
	runbook: number | null;
	name: string;
	answers: Answers;
	part: { only: number[] | null; clears: boolean } | null;
	outOfDate: boolean;
	revision: number | null;
	version: number | null;
	at: Date;
}

const RUN = `SELECT id, runbook_id AS runbook, name, answers, part, out_of_date AS "outOfDate", read_revision AS revision, branch_version AS version, at FROM run r`;

/** Runs once more what ran in a branch, as it was asked for then. */
export async function runAgain(
	person: SignedIn | undefined,
	modelId: number,
	{ id, run }: z.infer<typeof runOnly>
): Promise<{ run: number; job: number }> {
	const runner = await into(requirePermission(person, 'rule.run'), modelId, id);
	const found = await pool().query<StoredRun>(`${RUN} WHERE id = $1 AND branch_id = $2 AND state = 'done'`, [run, id]);
	return startAsBefore(runner, modelId, found.rows[0]);
}

async function startAsBefore(
	runner: SignedIn,
	modelId: number,
	run: StoredRun | undefined,
	mergedBranch?: number
): Promise<{ run: number; job: number }> {
	if (!run) throw notFound('run');
	if (run.runbook === null) throw new Fault(409, 'gone', `The runbook of “${run.name}” has been deleted.`);
	const { only, clears } = run.part ?? { only: null, clears: false };
	return startRun(runner, modelId, run.runbook, { answers: run.answers, ...(only && { only }), clears }, mergedBranch);
}

/** The runs whose results stand in a branch, in the order they were made. */
export async function standingRuns(database: Pick<pg.PoolClient, 'query'>, branch: number): Promise<StoredRun[]> {
	const found = await database.query<StoredRun>(
		`${RUN} WHERE branch_id = $1 AND state = 'done' AND EXISTS (SELECT FROM branch_result x WHERE x.branch_id = $1 AND x.run_id = r.id) ORDER BY id`,
		[branch]
	);
	return found.rows;
}

/** A run, or a load (its batch), of a branch that is being done in the plan; or why it is not. */
export type RunInPlan = { name: string } & ({ run: number; job: number } | { fault: string });

/** Does in the plan what ran in a branch. What cannot be run is told beside, and can be run by hand: the figures are merged. */
export async function runInPlan(
	{ branch: _, ...merger }: SignedIn,
	modelId: number,
	branch: number | undefined,
	run: StoredRun
): Promise<RunInPlan> {
	try {
		return { name: run.name, ...(await startAsBefore(merger, modelId, run, branch)) };
	} catch (error) {
		if (!(error instanceof Fault)) throw error;
		return { name: run.name, fault: error.message };
	}
}

/** Puts what a run wrote in a branch back: the plan's results, or none, show there again. */
export async function putBackRun(
	person: SignedIn | undefined,
	modelId: number,
	{ id, run }: z.infer<typeof runOnly>
): Promise<{ cells: number }> {
	const writer = requirePermission(requirePermission(person, 'branch.write'), 'rule.run');
	return transaction(async (client) => {
		await lockBranch(client, id);
		const whyNot = whyNotWork(writer, await branchFor(writer, modelId, id, client));
		if (whyNot) throw new Fault(409, 'branch closed', whyNot);
		const gone = await client.query<{ origin: number }>(
			'DELETE FROM branch_result WHERE branch_id = $1 AND run_id = $2 RETURNING origin_id AS origin',
			[id, run]
		);
		if (gone.rows.length === 0) throw new Fault(409, 'put back', 'Nothing of this run stands in the branch any more.');
		const origins = new Set(gone.rows.map(({ origin }) => origin));
		const { cells, width } = putBackSeries(await readBranchOrigins(client, id, [...origins]));
		const name = (await client.query<{ name: string }>("UPDATE run SET state = 'taken back' WHERE id = $1 RETURNING name", [run])).rows[0]!
			.name;
		await writeBranch(client, id, { person: writer.id, acting: actingNow(), words: `“${name}” put back` }, cells, width);
		return { cells: cells.length };
	});
}

/**
 * Looks whether runs of a branch are out of date, because something they read has changed in the plan or in the branch, and
 * notes it.
 */
export async function checkBranchRuns(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: { id: number }
): Promise<{ runs: RunInBranch[] }> {
	const reader = requirePermission(person, 'form.read');
	await branchFor(reader, modelId, id);
	const hidden = (await readOwnResults(pool(), id)).map(({ origin }) => origin);
	for (const run of await standingRuns(pool(), id)) {
		if (run.outOfDate || run.runbook === null || run.revision === null || run.version === null || run.part?.clears) continue;
		const runbook = await readStored(pool(), modelId, run.runbook).catch(() => undefined);
		if (!runbook) continue;
		const only = run.part?.only;
		const own = await pool().query<{ id: number }>('SELECT id FROM origin WHERE model_id = $1 AND runbook_id = $2', [modelId, run.runbook]);
		const { through } = await askRunner(modelId, 'readsMoved', {
			...(await modelVersions(pool(), modelId)),
			steps: runbook.steps.filter(({ id: step }) => only?.includes(step) ?? true),
			parameters: runbook.parameters,
			answers: run.answers,
			since: run.revision,
			own: own.rows.map((row) => row.id),
			branch: { id, since: run.version, hidden }
		});
		if (through !== null) await pool().query("UPDATE run SET out_of_date = true WHERE id = $1 AND state = 'done'", [run.id]);
	}
	return { runs: await readBranchRuns(reader, id) };
}

handleJobs(
	'run in a branch',
	(job, tell, signal) =>
		underControl(job, tell, signal, async (runner, runbook, how) => {
			const { run, answers, branch } = job.payload as RunPayload & { branch: number };
			// What they may do in the branch may be another thing than when they asked.
			const person = await into(runner, job.modelId, branch);
			return carryOut(person, job.modelId, runbook, { ...how, run, answers, branch });
		}),
	truthOfRun
);

/** Computes a run in a branch and stores it there; computed again when the branch moved meanwhile. */
async function carryOut(
	person: SignedIn,
	modelId: number,
	runbook: StoredRunbook,
	{ run, answers, branch, part, control, signal }: RunControl & { run: number; answers: Answers; branch: number }
): Promise<string> {
	const definition = await definitionNow(modelId, runbook, part);
	for (let tries = 1; ; tries++) {
		const compute = (version: number): Promise<RunPlan> =>
			planFor(person, modelId, runbook, answers, { preview: false, control, part, branch: { id: branch, version } });
		const before = (await branchVersion(pool(), branch))?.version ?? 0;
		const early = tries <= TRIES ? await compute(before) : undefined;
		const stored = await transaction(async (client): Promise<{ said: string; plan: RunPlan } | undefined> => {
			// The plan may move meanwhile: the run says which revision it read, and counts as out of date then.
			await keepStructureStill(client, modelId);
			const { version, state } = await lockBranch(client, branch);
			if (state !== 'open') throw new Fault(409, 'branch closed', 'This branch has been frozen, merged or dropped meanwhile.');
			if (early && version !== before) return undefined;
			const plan = early ?? (await compute(version));
			refuseFaults(plan);
			if (signal.aborted) throw new Fault(409, 'cancelled', 'The run was cancelled. Nothing was written.');
			const said = runInWords(plan, part, runbook);
			const left = await writeBranchRun(
				client,
				branch,
				{ person: person.id, acting: actingNow(), words: `Run of “${runbook.name}”` },
				{ run, ...plan.inBranch!, reads: plan.reads }
			);
			await client.query(
				`UPDATE run SET state = 'done', words = $2, log = $3, totals = $4, cells = $5, read_revision = $6, branch_version = $7, definition = $8 WHERE id = $1`,
				[run, said, JSON.stringify(plan.log), JSON.stringify(plan.totals.slice(0, 100)), plan.cells, plan.revision, left, definition]
			);
			await keepTraces(client, run, plan.traces);
			return { said, plan };
		});
		if (stored) return [stored.said, ...(await takeSnapshots(person, modelId, runbook, stored.plan.snapshots, branch))].join(' ');
	}
}
