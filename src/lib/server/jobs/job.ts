import { actingNow } from '../acting';
import { pool, type Database } from '../database';
import { Fault, notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';

export type JobState = 'waiting' | 'running' | 'done' | 'failed' | 'cancelled';

/** Long work as people see it. */
export interface Job {
	id: number;
	kind: string;
	title: string;
	person: string | null;
	mine: boolean;
	state: JobState;
	done: number;
	of: number | null;
	words: string;
	result: unknown;
	madeAt: string;
	endedAt: string | null;
}

/** A job as who carries it out needs it. */
export interface JobToDo {
	id: number;
	modelId: number;
	personId: number | null;
	/** Who stood in for them when it was begun. */
	actingId: number | null;
	kind: string;
	title: string;
	payload: unknown;
}

/** A running job that has not been renewed for this long has died with its server. */
const SILENT_SECONDS = 15;
/** One that waits for this long and is in no queue was lost on the way there. */
const LOST_SECONDS = 10;

/** Notes a job to be done, in the transaction that notes what it is about: neither is there without the other. @returns its id */
export async function noteJob(
	database: Database,
	modelId: number,
	person: number | null,
	kind: string,
	title: string,
	payload: unknown,
	of: number | null = null
): Promise<number> {
	const made = await database.query<{ id: number }>(
		'INSERT INTO job (model_id, person_id, kind, title, payload, of, acting_id) VALUES ($1, $2, $3, $4, $5, $6, $7) RETURNING id',
		[modelId, person, kind, title, JSON.stringify(payload), of, actingNow()]
	);
	await tell(made.rows[0]!.id, modelId, database);
	return made.rows[0]!.id;
}

/** What kind of job one is. */
export async function kindOfJob(database: Database, id: number): Promise<string> {
	return (await database.query<{ kind: string }>('SELECT kind FROM job WHERE id = $1', [id])).rows[0]!.kind;
}

/** Takes a job into work; undefined when it was cancelled before, or is in work already. */
export async function takeJob(id: number): Promise<JobToDo | undefined> {
	const taken = await pool().query<JobToDo>(
		`UPDATE job SET state = 'running', seen_at = now() WHERE id = $1 AND state = 'waiting' AND NOT cancel_asked
		RETURNING id, model_id AS "modelId", person_id AS "personId", acting_id AS "actingId", kind, title, payload`,
		[id]
	);
	const job = taken.rows[0];
	if (job) await tell(id, job.modelId);
	return job;
}

/** Says how far a job is, and hears whether it shall end. */
export async function renewJob(id: number, modelId: number, done: number, words: string): Promise<{ cancelled: boolean }> {
	const found = await pool().query<{ cancel: boolean }>(
		"UPDATE job SET done = $2, words = $3, seen_at = now() WHERE id = $1 AND state = 'running' RETURNING cancel_asked AS cancel",
		[id, done, words.slice(0, 500)]
	);
	await tell(id, modelId);
	return { cancelled: found.rows[0]?.cancel ?? true };
}

/** Ends a job. */
export async function endJob(id: number, modelId: number, state: JobState, words: string, result: unknown = null): Promise<void> {
	await pool().query('UPDATE job SET state = $2, words = $3, result = $4, ended_at = now() WHERE id = $1', [
		id,
		state,
		words,
		JSON.stringify(result)
	]);
	await tell(id, modelId);
}

const tell = (id: number, modelId: number, database: Database = pool()) =>
	database.query("SELECT pg_notify('job', $1)", [`${modelId} ${id}`]);

const COLUMNS = `j.id, j.kind, j.title, p.name AS person, coalesce(j.person_id = $2, false) AS mine, j.state, j.done, j.of, j.words, j.result, j.made_at AS "madeAt", j.ended_at AS "endedAt"`;
type JobRow = Omit<Job, 'madeAt' | 'endedAt'> & { madeAt: Date; endedAt: Date | null };
const asJob = (row: JobRow): Job => ({ ...row, madeAt: row.madeAt.toISOString(), endedAt: row.endedAt?.toISOString() ?? null });

/** The latest jobs of a model: those under way first. */
export async function listJobs(person: SignedIn | undefined, modelId: number): Promise<Job[]> {
	const reader = requirePermission(person, 'data.read');
	const found = await pool().query<JobRow>(
		`SELECT ${COLUMNS} FROM job j LEFT JOIN person p ON p.id = j.person_id WHERE j.model_id = $1
		ORDER BY j.state IN ('waiting', 'running') DESC, j.id DESC LIMIT 20`,
		[modelId, reader.id]
	);
	return found.rows.map(asJob);
}

/** One job: one's own, or any for who looks at imports. @throws Fault 404 */
export async function readJob(person: SignedIn | undefined, modelId: number, id: number): Promise<Job> {
	const reader = requirePermission(person, 'form.read');
	const found = await pool().query<JobRow>(
		`SELECT ${COLUMNS} FROM job j LEFT JOIN person p ON p.id = j.person_id WHERE j.model_id = $1 AND j.id = $3`,
		[modelId, reader.id, id]
	);
	if (!found.rows[0]) throw notFound('job');
	if (!found.rows[0].mine) requirePermission(person, 'data.read');
	return asJob(found.rows[0]);
}

/**
 * Asks a job to end: one that waits ends at once, one in work as soon as it hears. It belongs to who started it; an
 * administrator may end any.
 */
export async function cancelJob(person: SignedIn | undefined, modelId: number, id: number): Promise<Job> {
	const canceller = requirePermission(person, 'form.read');
	const asked = await readJob(canceller, modelId, id);
	if (!asked.mine && !canceller.permissions.includes('structure.write'))
		throw new Fault(403, 'not allowed', `${asked.person ?? 'The schedule'} started this: only they or an administrator end it.`);
	await pool().query(
		`UPDATE job SET cancel_asked = true, state = CASE state WHEN 'waiting' THEN 'cancelled' ELSE state END,
			words = CASE state WHEN 'waiting' THEN 'Cancelled before it began.' ELSE words END, ended_at = CASE state WHEN 'waiting' THEN now() ELSE ended_at END
		WHERE id = $1 AND model_id = $2 AND state IN ('waiting', 'running')`,
		[id, modelId]
	);
	await tell(id, modelId);
	const job = await readJob(canceller, modelId, id);
	if (job.state === 'done') throw new Fault(409, 'too late', 'It was done before it could be cancelled. Take it back instead.');
	return job;
}

/** Takes over jobs whose server has gone, to end them: nobody else does for as long as one of them may be silent. */
export async function takeSilentJobs(): Promise<JobToDo[]> {
	const found = await pool().query<JobToDo>(
		`UPDATE job SET seen_at = now() WHERE state = 'running' AND seen_at < now() - make_interval(secs => $1)
		RETURNING id, model_id AS "modelId", person_id AS "personId", acting_id AS "actingId", kind, title, payload`,
		[SILENT_SECONDS]
	);
	return found.rows;
}

/** Jobs that wait and are in no queue, or were fetched from it by a server that ended before it took them. @param queue its name */
export async function lostJobs(queues: readonly string[]): Promise<{ id: number; kind: string }[]> {
	const found = await pool().query<{ id: number; kind: string }>(
		`SELECT j.id, j.kind FROM job j WHERE j.state = 'waiting' AND j.made_at < now() - make_interval(secs => $1)
			AND NOT EXISTS (SELECT FROM job_queue.job q WHERE q.name = ANY ($2) AND (q.data ->> 'job')::integer = j.id
				AND (q.state < 'active' OR q.state = 'active' AND q.started_on > now() - make_interval(secs => $1)))
		ORDER BY j.id LIMIT 100`,
		[LOST_SECONDS, queues]
	);
	return found.rows;
}
