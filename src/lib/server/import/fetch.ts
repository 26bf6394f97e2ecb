import { pool } from '../database';
import { Fault } from '../fault';
import { doEveryMinute, handleJobs, noteJob, startJob } from '../jobs';
import { personById, requirePermission, type SignedIn } from '../session';
import { readStoredImport, type StoredImport } from './recipe';
import { takeDue } from './schedule';
import { listFolder, readFolderFile } from './sources/folder';
import { ledgerRows } from './sources/ledger';
import { modelRows, requireSourceModel } from './sources/model';
import { queryRows } from './sources/query';
import { keepStream, startLoad } from './start';

/** Kept files that were never loaded go after this many days, unfinished ones after one. */
const UNLOADED_DAYS = 14;

/**
 * Fetches an import's rows from where they come, as a job, and keeps them as a file to be checked.
 * @param load whether to load them too, as the import says
 */
export async function startFetch(person: SignedIn | undefined, modelId: number, code: string, load = false): Promise<{ job: number }> {
	const loader = requirePermission(person, 'data.load');
	const stored = await readStoredImport(pool(), modelId, code);
	await requireSourceModel(loader.id, stored.source.place);
	if (stored.source.place.kind === 'file') throw new Fault(422, 'not possible', 'The rows of this import come from a file: choose one.');
	return noteFetch(modelId, stored, loader.id, load);
}

async function noteFetch(modelId: number, stored: StoredImport, person: number, load: boolean): Promise<{ job: number }> {
	return startJob(async (client) => ({
		job: await noteJob(client, modelId, person, 'fetch', `${stored.name}: fetching rows`, { code: stored.code, load })
	}));
}

handleJobs('fetch', async (job, tell, signal) => {
	const { code, load } = job.payload as { code: string; load: boolean };
	const stored = await readStoredImport(pool(), job.modelId, code);
	// A schedule fetches for whoever set it, with what they may do today.
	await requireSourceModel(job.personId, stored.source.place);
	const files: { id: number; name: string }[] = [];
	for (const { name, bytes } of await sourceFiles(stored, signal)) {
		if (signal.aborted) throw new Fault(409, 'cancelled', 'Cancelled. What had been fetched before is kept.');
		tell(files.length, `Fetching ${name}`);
		const file = await keepStream(
			job.modelId,
			stored.id,
			job.personId,
			name,
			counted(bytes, (count) => tell(count, `Fetching ${name}`))
		);
		if (await isKnown(stored.id, file.id, file.hash, load)) {
			await pool().query('DELETE FROM source_file WHERE id = $1', [file.id]);
			continue;
		}
		files.push(file);
	}
	if (files.length === 0) return { words: 'Nothing new: the source is as it was.', result: { files: [] } };
	if (!load)
		return { words: `${files.map(({ name }) => name).join(', ')} fetched. Nothing is loaded yet.`, result: { file: files.at(-1)!.id } };
	const person = await personById(job.personId, job.modelId);
	const started = [];
	for (const file of files) started.push(await startLoad(person, job.modelId, code, { file: file.id, again: true }));
	return {
		words: `${files.map(({ name }) => name).join(', ')} fetched; loading follows.`,
		result: { batches: started.map(({ batch }) => batch) }
	};
});

/** The streams an import's source has at this moment. */
async function sourceFiles(stored: StoredImport, signal: AbortSignal): Promise<{ name: string; bytes: AsyncIterable<Uint8Array> }[]> {
	const { place } = stored.source;
	const name = `${stored.code} ${new Date().toISOString().slice(0, 16).replace('T', ' ').replace(':', '')}.csv`;
	switch (place.kind) {
		case 'file':
			return [];
		case 'folder':
			return (await listFolder(place.folder, place.pattern)).map((file) => ({ name: file.name, bytes: readFolderFile(file) }));
		case 'query':
			return [{ name, bytes: queryRows(place.connection, place.text, signal) }];
		case 'model':
			return [{ name, bytes: modelRows(place.model, place.slice) }];
		case 'ledger':
			return [{ name, bytes: ledgerRows(place.company, place.from, place.to) }];
		default:
			return place satisfies never;
	}
}

/** Whether the same bytes were kept for this import before (a folder's old files), or loaded (for what is loaded by itself). */
async function isKnown(importId: number, fileId: number, hash: string, loading: boolean): Promise<boolean> {
	const found = await pool().query(
		loading
			? "SELECT FROM batch WHERE import_id = $1 AND file_hash = $3 AND file_id IS DISTINCT FROM $2 AND state <> 'taken back' AND branch_id IS NULL LIMIT 1"
			: 'SELECT FROM source_file WHERE import_id = $1 AND hash = $3 AND id <> $2 AND complete LIMIT 1',
		[importId, fileId, Buffer.from(hash, 'hex')]
	);
	return found.rowCount === 1;
}

async function* counted(bytes: AsyncIterable<Uint8Array>, tell: (bytes: number) => void): AsyncGenerator<Uint8Array> {
	let count = 0;
	for await (const chunk of bytes) {
		tell((count += chunk.length));
		yield chunk;
	}
}

/** Starts what is due, ends batches whose job is no more, sweeps what nobody loaded. */
export async function tend(now = new Date()): Promise<void> {
	for (const { modelId, code, person } of await takeDue(now))
		await noteFetch(modelId, await readStoredImport(pool(), modelId, code), person, true);
	await pool().query(
		`UPDATE batch b SET state = 'failed', message = 'The server stopped while this was loading. Nothing was written; load the file again.'
		WHERE b.state = 'running' AND b.at < now() - interval '1 minute'
			AND NOT EXISTS (SELECT FROM job j WHERE j.id = b.job_id AND j.state IN ('waiting', 'running'))`
	);
	await pool().query(
		`DELETE FROM source_file f WHERE NOT EXISTS (SELECT FROM batch b WHERE b.file_id = f.id)
			AND f.at < now() - CASE WHEN f.complete THEN make_interval(days => $1) ELSE interval '1 day' END`,
		[UNLOADED_DAYS]
	);
}
doEveryMinute(() => tend());
