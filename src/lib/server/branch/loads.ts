/** Loads into a branch: looked at, made, told, put back. What they say is the branch's own. */
import type pg from 'pg';
import { z } from 'zod';
import { actingNow } from '../acting';
import { pool, transaction } from '../database';
import { lockBranch, putBackSeries, readBranchOrigins, writeBranch } from '../database/branch-series';
import { Fault, notFound } from '../fault';
import { carryOutLoad, checkImport, checkSchema, startLoad, startTakeBack, truthOfLoad, type CheckOutcome } from '../import';
import { handleJobs } from '../jobs';
import { personById, requirePermission, type SignedIn } from '../session';
import { branchFor, whyNotWork } from './record';
import { into, type RunInPlan } from './runs';

/** A load made into a branch. */
export interface LoadInBranch {
	/** The batch. */
	id: number;
	name: string;
	person: string | null;
	at: string;
	state: 'running' | 'loaded' | 'stopped' | 'failed' | 'cancelled' | 'taken back';
	words: string;
	/** Why rows were rejected, the most frequent reasons first. */
	rejected: { message: string; rows: number }[];
	/** Whether it is what its import says in the branch. */
	stands: boolean;
}

const MOST_LOADS = 60;
const MOST_REASONS = 5;

/** The loads of a branch, the latest first; for who may look at loads: files and rows say what is in them. */
export async function readBranchLoads(person: SignedIn, branch: number): Promise<LoadInBranch[]> {
	if (!person.permissions.includes('data.read')) return [];
	const found = await pool().query<Omit<LoadInBranch, 'at'> & { at: Date }>(
		`SELECT b.id, i.name, p.name AS person, b.at, b.state,
			CASE WHEN b.state = 'loaded' THEN b.file_name || ': ' || b.rows_loaded || CASE WHEN b.rows_loaded = 1 THEN ' row, ' ELSE ' rows, ' END || b.extent
				WHEN b.state = 'stopped' THEN b.file_name || ': ' || b.rows_rejected || ' rejected, so nothing was loaded'
				ELSE coalesce(b.message, b.file_name) END AS words,
			coalesce((SELECT json_agg(json_build_object('message', r.message, 'rows', r.rows)) FROM
				(SELECT message, rows FROM reject_reason WHERE batch_id = b.id ORDER BY rows DESC, message LIMIT $3) r), '[]') AS rejected,
			EXISTS (SELECT FROM branch_load l WHERE l.branch_id = $1 AND l.batch_id = b.id) AS stands
		FROM batch b JOIN import i ON i.id = b.import_id LEFT JOIN person p ON p.id = b.person_id WHERE b.branch_id = $1 OR b.id IN (SELECT batch_id FROM branch_load WHERE branch_id = $1) ORDER BY b.id DESC LIMIT $2`,
		[branch, MOST_LOADS, MOST_REASONS]
	);
	return found.rows.map((row) => ({ ...row, at: row.at.toISOString() }));
}

/** An import whose files can be loaded into a branch, and the dimensions whose members are to be chosen for it. */
export interface ImportForBranch {
	code: string;
	name: string;
	asks: { dimension: number; name: string }[];
}

/** The imports whose files can be loaded into a branch: those of movements, not of amounts run up to date. */
export async function importsForBranches(modelId: number): Promise<ImportForBranch[]> {
	const found = await pool().query<ImportForBranch>(
		`SELECT i.code, i.name, coalesce((SELECT json_agg(json_build_object('dimension', d.id, 'name', d.name) ORDER BY d.id) FROM import_rule r
			JOIN dimension d ON d.id = r.dimension_id WHERE r.import_id = i.id AND r.come_from = 'chosen'), '[]') AS asks
		FROM import i WHERE i.model_id = $1 AND coalesce(i.source ->> 'amounts', 'movement') = 'movement' ORDER BY i.name`,
		[modelId]
	);
	return found.rows;
}

export const checkLoadSchema = checkSchema.extend({ id: z.int(), import: z.string().max(100) });

/** What a kept file would become in a branch, without writing anything. */
export async function checkLoad(
	person: SignedIn | undefined,
	modelId: number,
	{ id, import: code, ...asked }: z.infer<typeof checkLoadSchema>
): Promise<CheckOutcome> {
	return checkImport(await into(requirePermission(person, 'data.load'), modelId, id), modelId, code, asked);
}

export const loadIntoSchema = z.object({
	id: z.int(),
	import: z.string().max(100),
	file: z.int(),
	chosen: z.record(z.string().regex(/^\d{1,9}$/), z.int()).default({}),
	rejects: z.enum(['stop', 'load good rows']).default('stop'),
	again: z.boolean().default(false)
});

/** Loads a kept file into a branch, as a job: it replaces what its import says there, in what the file is about. */
export async function loadInto(
	person: SignedIn | undefined,
	modelId: number,
	{ id, import: code, ...choices }: z.infer<typeof loadIntoSchema>
): Promise<{ batch: number; job: number }> {
	return startLoad(await into(requirePermission(person, 'data.load'), modelId, id), modelId, code, { ...choices, way: 'replace' });
}

export const loadOnly = z.object({ id: z.int(), batch: z.int() });

/** Puts back what an import says in a branch, all its loads there: the plan's shows again. */
export async function putBackLoad(
	person: SignedIn | undefined,
	modelId: number,
	{ id, batch }: z.infer<typeof loadOnly>
): Promise<{ cells: number }> {
	const writer = requirePermission(requirePermission(person, 'branch.write'), 'data.load');
	return transaction(async (client) => {
		await lockBranch(client, id);
		const whyNot = whyNotWork(writer, await branchFor(writer, modelId, id, client));
		if (whyNot) throw new Fault(409, 'branch closed', whyNot);
		const found = await client.query<{ import: number; origin: number; name: string }>(
			'SELECT i.id AS import, i.origin_id AS origin, i.name FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1 AND i.model_id = $2',
			[batch, modelId]
		);
		const [load] = found.rows;
		if (!load) throw notFound('load');
		const gone = await client.query('DELETE FROM branch_load WHERE branch_id = $1 AND origin_id = $2', [id, load.origin]);
		if (gone.rowCount === 0) throw new Fault(409, 'put back', 'Nothing of this import stands in the branch any more.');
		await client.query("UPDATE batch SET state = 'taken back' WHERE branch_id = $1 AND import_id = $2 AND state = 'loaded'", [
			id,
			load.import
		]);
		const { cells, width } = putBackSeries(await readBranchOrigins(client, id, [load.origin]));
		await writeBranch(client, id, { person: writer.id, acting: actingNow(), words: `“${load.name}” put back` }, cells, width);
		return { cells: cells.length };
	});
}

/** A load that stands in a branch, as it was asked for. */
export interface StandingLoad {
	/** The batch. */
	id: number;
	code: string;
	name: string;
	file: number | null;
	chosen: Record<number, number>;
	at: Date;
}

/** The loads that stand in a branch, in the order they were made. */
export async function standingLoads(database: Pick<pg.PoolClient, 'query'>, branch: number): Promise<StandingLoad[]> {
	const found = await database.query<StandingLoad>(
		`SELECT b.id, i.code, i.name, b.file_id AS file, b.chosen, b.at FROM batch b JOIN import i ON i.id = b.import_id
		WHERE b.id IN (SELECT batch_id FROM branch_load WHERE branch_id = $1) ORDER BY b.id`,
		[branch]
	);
	return found.rows;
}

/** Loads into the plan what was loaded into a branch, by the import as it is now. */
export async function loadInPlan(
	{ branch: _, ...merger }: SignedIn,
	modelId: number,
	branch: number | undefined,
	{ code, name, file, chosen }: StandingLoad
): Promise<RunInPlan> {
	try {
		if (file === null) throw new Fault(409, 'gone', 'its file is not kept any more.');
		const { batch, job } = await startLoad(merger, modelId, code, {
			...{ file, chosen, way: 'replace', rejects: 'load good rows', again: true, mergedBranch: branch }
		});
		return { name, run: batch, job };
	} catch (error) {
		if (!(error instanceof Fault)) throw error;
		return { name, fault: error.message };
	}
}

/** A load of the plan that was made when a branch was merged. */
interface MergedLoad {
	id: number;
	revision: number | null;
}

/** The loads that were made when a branch was merged, the latest first. @throws Fault 409 while one is under way */
export async function mergedLoads(branch: number): Promise<MergedLoad[]> {
	const found = await pool().query<MergedLoad & { state: string; name: string }>(
		`SELECT b.id, b.revision, b.state, i.name FROM batch b JOIN import i ON i.id = b.import_id
		WHERE b.merged_branch_id = $1 AND b.state IN ('running', 'loaded') ORDER BY b.id DESC`,
		[branch]
	);
	const running = found.rows.find(({ state }) => state === 'running');
	if (running) throw new Fault(409, 'busy', `“${running.name}” is being loaded into the plan. Take the merge back when that has ended.`);
	return found.rows;
}

/** Takes back in the plan what was loaded when a branch was merged; as jobs. One that changed nothing has nothing to take back. */
export async function takeBackLoads(merger: SignedIn, modelId: number, loads: readonly MergedLoad[]): Promise<void> {
	for (const { id, revision } of loads) if (revision !== null) await startTakeBack(merger, modelId, id, false);
}

handleJobs(
	'load into a branch',
	async (job, tell, signal) => {
		const { branch } = job.payload as { branch: number };
		// What they may do in the branch may be another thing than when they asked.
		return carryOutLoad(job, await into(await personById(job.personId, job.modelId), job.modelId, branch), tell, signal);
	},
	truthOfLoad
);
