import { z } from 'zod';
import { inflateSync } from 'node:zlib';
import { readAccessRules } from '../access';
import { readLocks } from '../database/model-locks';
import { pool } from '../database';
import { readBranchRates } from '../database/branch-series';
import { catchUpEngine } from '../engine';
import { Fault, notFound } from '../fault';
import { handleJobs, noteJob, startJob, type JobToDo } from '../jobs';
import { personById, requirePermission, type SignedIn } from '../session';
import { beginFile, completeFile, forgetFile, keepBytes, keptFile, type KeptFile } from './file/keep';
import { sourceSchema, type Source } from '../definition/source-schema';
import { readRules, readStoredImport, type StoredImport, type StoredRule } from './recipe';
import { inOwnThread } from './work/host';
import type { LoadAsk, LoadOutcome } from './work/load';
import type { LoadAccess } from './work/load-access';

/** How a person starts a load; what is left out is as the import says. */
export interface LoadChoices {
	file: number;
	way?: 'replace' | 'add' | undefined;
	rejects?: 'stop' | 'load good rows' | undefined;
	/** Members (ids) by dimension, for rules that ask. */
	chosen?: Record<number, number> | undefined;
	/** Load although the same file has been loaded before. */
	again?: boolean | undefined;
	/** The branch (id) it is merged with. */
	mergedBranch?: number | undefined;
}

export interface StartedLoad {
	batch: number;
	job: number;
}

/** What a batch keeps of the recipe it was loaded by. */
interface KeptRecipe {
	source: Source;
	rules: StoredRule[];
	/** What people put right of rows that were rejected; the file stays as it came. */
	corrections?: Correction[];
}

export const correctionsSchema = z.object({
	corrections: z
		.array(
			z.object({
				/** The line of the file; null for every rejected row that says this. */
				line: z.number().int().positive().nullable(),
				column: z.string().min(1).max(500),
				/** What the file says there, and what it shall be read as. */
				value: z.string().max(500),
				becomes: z.string().trim().min(1).max(500)
			})
		)
		.max(5_000)
		.default([])
});
export type Correction = z.infer<typeof correctionsSchema>['corrections'][number];

/**
 * Keeps a file that comes in, for an import to be checked and loaded. Workbooks are unpacked.
 * @throws Fault when it is empty, too large or no workbook it pretends to be; then nothing is kept
 */
export async function keepFile(
	person: SignedIn | undefined,
	modelId: number,
	importCode: string | null,
	name: string,
	stream: AsyncIterable<Uint8Array>
): Promise<KeptFile> {
	const loader = requirePermission(person, 'data.load');
	const importId = importCode === null ? null : (await readStoredImport(pool(), modelId, importCode)).id;
	return keepStream(modelId, importId, loader.id, name, stream);
}

/** The same for files the server fetches itself. */
export async function keepStream(
	modelId: number,
	importId: number | null,
	person: number | null,
	name: string,
	stream: AsyncIterable<Uint8Array>
): Promise<KeptFile> {
	const id = await beginFile(modelId, importId, person, name);
	try {
		await keepBytes(id, whole(stream));
		const found = await pool().query<{ format: string }>('SELECT format FROM source_file WHERE id = $1', [id]);
		if (found.rows[0]?.format === 'workbook') await unpackInTime(id);
		await completeFile(id);
		return await keptFile(modelId, id);
	} catch (error) {
		await forgetFile(id).catch(() => {});
		throw error;
	}
}

/** What comes in, with a sentence where it ends too early. Only there: that the database broke off is another matter. */
async function* whole(stream: AsyncIterable<Uint8Array>): AsyncGenerator<Uint8Array> {
	try {
		yield* stream;
	} catch (error) {
		if (error instanceof Fault || !isBrokenOff(error)) throw error;
		throw new Fault(400, 'broken off', 'The file did not come in whole: the connection broke off. Nothing was loaded; send it again.');
	}
}

/** A workbook that takes longer is a trap, or belongs in a CSV. */
const MOST_UNPACKING_MILLISECONDS = 90_000;

/** Unpacks a kept workbook in a thread of its own, which ends with it or when it takes too long. */
async function unpackInTime(file: number): Promise<void> {
	try {
		await inOwnThread('unpack', { file }, () => {}, AbortSignal.timeout(MOST_UNPACKING_MILLISECONDS));
	} catch (error) {
		if (error instanceof Fault && error.code === 'cancelled')
			throw new Fault(413, 'too large', 'This workbook takes too long to be unpacked. Save the sheet as CSV and load that.');
		throw error;
	}
}

const isBrokenOff = (error: unknown) =>
	error instanceof Error &&
	/abort|closed|terminated|ECONNRESET|premature/i.test(`${error.name} ${error.message} ${(error as { code?: string }).code ?? ''}`);

/**
 * Starts to load a kept file through a saved import, as a job.
 * @throws Fault 409 'loaded before' when the same file is loaded already
 */
export async function startLoad(person: SignedIn | undefined, modelId: number, code: string, choices: LoadChoices): Promise<StartedLoad> {
	const loader = requirePermission(person, 'data.load');
	const stored = await readStoredImport(pool(), modelId, code);
	const file = await keptFile(modelId, choices.file);
	const { branch } = loader;
	if (!choices.again) await warnOfSameFile(stored.id, file, branch?.id ?? null);
	const way = choices.way ?? stored.source.way;
	if (branch && way === 'add')
		throw new Fault(
			422,
			'not possible',
			'A load that adds cannot be made in a branch: what it adds to goes on moving in the plan. Load it so that it replaces.'
		);
	if (branch && stored.source.amounts === 'to date')
		throw new Fault(
			422,
			'not possible',
			'Amounts run up to date cannot be loaded into a branch: what they are set against goes on moving in the plan.'
		);
	if (way === 'add' && stored.source.amounts === 'to date')
		throw new Fault(
			422,
			'not possible',
			'Amounts run up to date cannot be added: each file states its periods in full. Load it so that it replaces.'
		);
	const rules = await readRules(pool(), modelId, stored.id);
	return begin(
		modelId,
		stored,
		loader.id,
		file,
		{ source: stored.source, rules },
		{
			way,
			rejects: choices.rejects ?? stored.source.rejects,
			chosen: choices.chosen ?? {},
			rejectsOf: null,
			branch: branch?.id ?? null,
			mergedBranch: choices.mergedBranch ?? null
		}
	);
}

/**
 * Loads the rejected rows of a batch once more, with the maps as they are now and with what was put right in the batch,
 * on top of what the batch loaded.
 * @throws Fault when another load has replaced what the batch loaded, or has loaded these rows
 */
export async function reloadRejects(
	person: SignedIn | undefined,
	modelId: number,
	batchId: number,
	corrections: Correction[] = []
): Promise<StartedLoad> {
	const loader = requirePermission(person, 'data.load');
	const found = await pool().query<{
		code: string;
		file: number | null;
		state: string;
		way: 'replace' | 'add';
		rejected: number;
		chosen: Record<number, number>;
		branch: number | null;
	}>(
		`SELECT i.code, b.file_id AS file, b.state, b.way, b.rows_rejected AS rejected, b.chosen, b.branch_id AS branch FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1 AND i.model_id = $2`,
		[batchId, modelId]
	);
	const batch = found.rows[0];
	if (!batch) throw notFound('batch');
	if (batch.branch !== null)
		throw new Fault(422, 'not possible', 'This batch was loaded into a branch. Load the file into it again once its rows are right.');
	if (batch.file === null) throw new Fault(422, 'not possible', 'The file of this batch is not kept. Choose it again and load it.');
	if (batch.rejected === 0) throw new Fault(422, 'not possible', 'This batch rejected no rows.');
	const stored = await readStoredImport(pool(), modelId, batch.code);
	const recipe: KeptRecipe = {
		source: stored.source,
		rules: await readRules(pool(), modelId, stored.id),
		...(corrections.length > 0 && { corrections })
	};
	// Where rejects stopped it nothing was loaded: the whole file comes, as it was to come.
	if (batch.state === 'stopped' && corrections.length > 0)
		return begin(modelId, stored, loader.id, await keptFile(modelId, batch.file), recipe, {
			way: batch.way,
			rejects: 'stop',
			chosen: batch.chosen,
			rejectsOf: null
		});
	if (batch.state !== 'loaded')
		throw new Fault(
			422,
			'not possible',
			'This batch loaded nothing, so there is nothing its rejects could be added to. Load the whole file.'
		);
	const later = await pool().query<{ id: number; rejectsOf: number | null }>(
		`SELECT n.id, n.rejects_of AS "rejectsOf" FROM batch b JOIN batch n ON n.import_id = b.import_id AND n.id > b.id
		WHERE b.id = $1 AND n.branch_id IS NULL AND n.state IN ('running', 'loaded')
			AND (n.rejects_of = b.id OR (n.rejects_of IS NULL AND n.way = 'replace' AND NOT EXISTS (
				SELECT FROM jsonb_each(b.extent_members) e (dimension, members)
				WHERE n.extent_members ? e.dimension AND NOT EXISTS (
					SELECT FROM jsonb_array_elements(e.members) m WHERE n.extent_members -> e.dimension @> m))))
		ORDER BY n.id DESC LIMIT 1`,
		[batchId]
	);
	const met = later.rows[0];
	if (met)
		throw new Fault(
			409,
			'loaded since',
			met.rejectsOf === batchId
				? `Batch ${met.id} has loaded these rows already. What it still rejected stands there.`
				: `Batch ${met.id} has replaced what this batch loaded. Reload the rejects of that one.`
		);
	// Amounts run up to date hang together by period: the whole file is read again.
	const whole = stored.source.amounts === 'to date';
	return begin(modelId, stored, loader.id, await keptFile(modelId, batch.file), recipe, {
		way: whole ? 'replace' : 'add',
		rejects: 'load good rows',
		chosen: batch.chosen,
		rejectsOf: batchId
	});
}

async function begin(
	modelId: number,
	stored: StoredImport,
	person: number | null,
	file: KeptFile,
	recipe: KeptRecipe,
	how: {
		way: 'replace' | 'add';
		rejects: 'stop' | 'load good rows';
		chosen: Record<number, number>;
		rejectsOf: number | null;
		branch?: number | null;
		mergedBranch?: number | null;
	}
): Promise<StartedLoad> {
	const title = how.rejectsOf === null ? `${stored.name}: ${file.name}` : `${stored.name}: rejects of batch ${how.rejectsOf}`;
	return startJob(async (client) => {
		const made = await client.query<{ id: number }>(
			`INSERT INTO batch (import_id, person_id, file_id, file_name, file_hash, state, way, rejects_of, recipe, chosen, rows_read, rows_loaded, rows_skipped, rows_rejected,
			amount_read, amount_loaded, amount_rejected, extent, branch_id, merged_branch_id)
		VALUES ($1, $2, $3, $4, $5, 'running', $6, $7, $8, $9, 0, 0, 0, 0, 0, 0, 0, 'nothing', $10, $11) RETURNING id`,
			[
				stored.id,
				person,
				file.id,
				file.name,
				Buffer.from(file.hash, 'hex'),
				how.way,
				how.rejectsOf,
				JSON.stringify(recipe),
				JSON.stringify(how.chosen),
				how.branch ?? null,
				how.mergedBranch ?? null
			]
		);
		const batch = made.rows[0]!.id;
		const branch = how.branch ?? undefined;
		const job = await noteJob(client, modelId, person, branch === undefined ? 'load' : 'load into a branch', title, {
			batch,
			rejects: how.rejects,
			code: stored.code,
			branch
		});
		await client.query('UPDATE batch SET job_id = $2 WHERE id = $1', [batch, job]);
		return { batch, job };
	});
}

async function warnOfSameFile(importId: number, file: KeptFile, branch: number | null): Promise<void> {
	const same = await pool().query<{ id: number; at: Date; person: string | null; name: string }>(
		`SELECT b.id, b.at, p.name AS person, b.file_name AS name FROM batch b LEFT JOIN person p ON p.id = b.person_id
		WHERE b.import_id = $1 AND b.file_hash = $2 AND b.state = 'loaded' AND b.branch_id IS NOT DISTINCT FROM $3 ORDER BY b.id DESC LIMIT 1`,
		[importId, Buffer.from(file.hash, 'hex'), branch]
	);
	const before = same.rows[0];
	if (before)
		throw new Fault(
			409,
			'loaded before',
			`This very file was loaded ${before.person ? `by ${before.person} ` : ''}on ${before.at.toISOString().slice(0, 10)} as batch ${before.id}${before.name === file.name ? '' : `, under the name ${before.name}`}.`,
			{ batch: before.id }
		);
}

/** Carries a noted load out, for whoever it is. */
export async function carryOutLoad(
	job: JobToDo,
	loader: SignedIn,
	tell: (done: number, words: string) => void,
	signal: AbortSignal
): Promise<{ words: string; result: LoadOutcome }> {
	const ask = await loadAsk(job, (job.payload as { batch: number }).batch, loader);
	const outcome = await inOwnThread('load', ask, (rows, words) => tell(rows, words), signal);
	// It is loaded; that the engine cannot follow at this moment makes it no failure.
	if (outcome.revision !== null) await catchUpEngine(job.modelId, outcome.revision).catch(() => {});
	return { words: outcomeInWords(outcome), result: outcome };
}

/** What a load that ended otherwise came to: whether it was loaded nevertheless. */
export async function truthOfLoad(
	job: JobToDo,
	{ state, words }: { state: string; words: string }
): Promise<{ words: string; result: unknown } | undefined> {
	const { batch } = job.payload as { batch: number };
	// Waits for a load that is being committed at this moment: then it is loaded, and says so.
	const ended = await pool().query("UPDATE batch SET state = $2, message = $3 WHERE id = $1 AND state = 'running'", [
		batch,
		state === 'cancelled' ? 'cancelled' : 'failed',
		words
	]);
	if (ended.rowCount) return undefined;
	const found = await pool().query<{ state: string; cells: number | null; rowsLoaded: number; rowsRejected: number; extent: string }>(
		'SELECT state, cells, rows_loaded AS "rowsLoaded", rows_rejected AS "rowsRejected", extent FROM batch WHERE id = $1',
		[batch]
	);
	const outcome = found.rows[0];
	if (outcome?.state !== 'loaded') return undefined;
	const said = outcomeInWords({ ...outcome, state: 'loaded', cells: outcome.cells ?? 0 });
	return {
		words: state === 'cancelled' ? `It was loaded before it could be cancelled. ${said}` : said,
		result: { batch, state: 'loaded' }
	};
}

handleJobs('load', async (job, tell, signal) => carryOutLoad(job, await personById(job.personId, job.modelId), tell, signal), truthOfLoad);

function outcomeInWords({
	state,
	rowsLoaded,
	rowsRejected,
	cells,
	extent
}: Pick<LoadOutcome, 'state' | 'rowsLoaded' | 'rowsRejected' | 'cells' | 'extent'>): string {
	if (state === 'stopped') return `${rowsRejected} ${rowsRejected === 1 ? 'row was' : 'rows were'} rejected, so nothing was loaded.`;
	const rejected = rowsRejected > 0 ? `, ${rowsRejected} rejected` : '';
	const rows = rowsLoaded === 1 ? 'One row' : `${rowsLoaded} rows`;
	return cells === 0
		? `${rows} loaded, nothing was different${rejected}.`
		: `${rows} loaded, ${cells === 1 ? 'one cell' : `${cells} cells`} of ${extent} changed${rejected}.`;
}

async function loadAsk(job: JobToDo, batchId: number, loader: SignedIn): Promise<LoadAsk> {
	const found = await pool().query<{
		import: number;
		origin: number;
		name: string;
		file: number;
		recipe: KeptRecipe;
		chosen: Record<number, number>;
		way: 'replace' | 'add';
		rejectsOf: number | null;
	}>(
		`SELECT i.id AS import, i.origin_id AS origin, i.name, b.file_id AS file, b.recipe, b.chosen, b.way, b.rejects_of AS "rejectsOf"
		FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1`,
		[batchId]
	);
	const batch = found.rows[0];
	if (!batch) throw notFound('batch');
	const source = sourceSchema.parse(batch.recipe.source);
	return {
		modelId: job.modelId,
		batchId,
		person: job.personId,
		acting: job.actingId,
		import: { id: batch.import, origin: batch.origin, name: batch.name },
		file: await keptFile(job.modelId, batch.file),
		source,
		rules: batch.recipe.rules,
		corrections: batch.recipe.corrections ?? [],
		chosen: batch.chosen,
		access: await accessOfLoad(loader, job.modelId),
		branch: loader.branch && {
			id: loader.branch.id,
			part: loader.branch.part,
			rates: await readBranchRates(pool(), loader.branch.id)
		},
		way: batch.way,
		rejects: (job.payload as { rejects: 'stop' | 'load good rows' }).rejects,
		onlyLines: batch.rejectsOf !== null && source.amounts === 'movement' ? await rejectedLines(batch.rejectsOf) : undefined
	};
}

async function rejectedLines(batchId: number): Promise<number[]> {
	const found = await pool().query<{ lines: Buffer | null }>('SELECT rejected_lines AS lines FROM batch WHERE id = $1', [batchId]);
	const packed = found.rows[0]?.lines;
	if (!packed) return [];
	const bytes = inflateSync(packed);
	return [...new Int32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength))];
}

/** A person's grants and the locks, as they count for loading: who may load need not be one who may type. */
export async function accessOfLoad(person: SignedIn, modelId: number): Promise<LoadAccess> {
	const [rules, locks] = await Promise.all([readAccessRules(person, modelId), readLocks(pool(), modelId)]);
	return { rules: { ...rules, mayEnter: true }, locks };
}

/**
 * Keeps a file and loads it in one go, waiting for the end: for the command line and for tests of loading.
 * @throws Fault when the file cannot be read, or the load ends otherwise than loaded or stopped
 */
export async function loadFile(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	name: string,
	stream: AsyncIterable<Uint8Array>,
	choices: Omit<LoadChoices, 'file'> = {}
): Promise<LoadOutcome> {
	const file = await keepFile(person, modelId, code, name, stream);
	const { job } = await startLoad(person, modelId, code, { ...choices, file: file.id });
	return waitForLoad(job);
}

/** Waits for a started load's end. @throws Fault with the reason when it failed */
export async function waitForLoad(job: number): Promise<LoadOutcome> {
	for (;;) {
		const found = await pool().query<{ state: string; words: string; result: LoadOutcome | null }>(
			'SELECT state, words, result FROM job WHERE id = $1',
			[job]
		);
		const { state, words, result } = found.rows[0]!;
		if (state === 'done' && result) return result;
		if (state === 'failed' || state === 'cancelled') throw new Fault(422, (result as { code?: string } | null)?.code ?? state, words);
		await new Promise((wait) => setTimeout(wait, 100));
	}
}
