import { whileActing } from '../acting';
import { isDatabaseAway } from '../database';
import { Fault } from '../fault';
import { log } from '../log';
import { endJob, renewJob, takeJob, takeSilentJobs, type JobState, type JobToDo } from './job';

/** Carries out a kind of job: told how to say how far it is, and when to end. @returns what is shown of the result */
export type JobHandler = (
	job: JobToDo,
	tell: (done: number, words: string) => void,
	signal: AbortSignal
) => Promise<{ words: string; result: unknown }>;

/** How a job ended, as far as is known to who carried it out. */
export interface JobEnd {
	state: Exclude<JobState, 'waiting' | 'running'>;
	words: string;
	result: unknown;
}

/**
 * What became of a job that did not end as it should: read from what it was to write, never guessed. Notes there that it has
 * not come about, unless it has.
 * @param end what is said if it has not
 * @returns what came of it all the same; undefined when nothing was written
 */
export type JobTruth = (job: JobToDo, end: JobEnd) => Promise<{ words: string; result: unknown } | undefined>;

/** Where jobs wait, one after another: printing takes its time, and no load or run waits for it. */
export const LANES = ['work', 'printing'] as const;
export type Lane = (typeof LANES)[number];

const handlers = new Map<string, { work: JobHandler; truth: JobTruth | undefined; lane: Lane }>();

/** Names who carries out a kind of job, who knows what became of one, and where it waits. */
export function handleJobs(kind: string, work: JobHandler, truth?: JobTruth, lane: Lane = 'work'): void {
	handlers.set(kind, { work, truth, lane });
}

/** Where jobs of a kind wait. */
export const laneOf = (kind: string): Lane => handlers.get(kind)?.lane ?? 'work';

/** How often a running job says that it is alive, and hears whether it shall end. */
const BEAT_MILLISECONDS = 400;

/** What this server carries out at the moment. */
const underWay = new Map<number, { stop: () => void; ended: Promise<void> }>();
const STOPPED = 'The server was stopped while this ran. Nothing was written; start it again.';
const GONE = 'The server ended while this ran. Nothing was written; start it again.';
const FAILED = 'Something went wrong on our side. Nothing was written; try again, and tell your administrator if it happens once more.';

/** Carries out a noted job to its end, whatever that is. @throws Error only when it cannot be taken into work */
export async function doJob(id: number): Promise<void> {
	const job = await takeJob(id);
	if (!job) return;
	const cancel = new AbortController();
	let stopped = false;
	const ended = carryOut(job, cancel, () => stopped);
	underWay.set(id, {
		stop: () => {
			stopped = true;
			cancel.abort();
		},
		ended
	});
	try {
		await ended;
	} finally {
		underWay.delete(id);
	}
}

async function carryOut(job: JobToDo, cancel: AbortController, isStopped: () => boolean): Promise<void> {
	let done = 0;
	let words = '';
	let beating = true;
	let wake = () => {};
	const beat = async () => {
		while (beating) {
			try {
				const { cancelled } = await renewJob(job.id, job.modelId, done, words);
				if (cancelled) cancel.abort();
			} catch {
				// The database is away for a moment; the next beat tries again.
			}
			await new Promise<void>((next) => {
				const timer = setTimeout(next, BEAT_MILLISECONDS);
				wake = () => {
					clearTimeout(timer);
					next();
				};
			});
		}
	};
	const beats = beat();
	let end: JobEnd;
	try {
		const handler = handlers.get(job.kind);
		if (!handler) throw new Fault(503, 'no handler', 'This server does not know how to do this.');
		const { words: said, result } = await whileActing(job.actingId, () =>
			handler.work(
				job,
				(count, sentence) => {
					done = count;
					words = sentence;
				},
				cancel.signal
			)
		);
		end = { state: 'done', words: said, result };
	} catch (error) {
		const fault = error instanceof Fault ? error : undefined;
		if (!fault) log.error({ err: error, job: job.id }, 'job failed');
		end = isStopped()
			? { state: 'failed', words: STOPPED, result: null }
			: {
					state: fault?.code === 'cancelled' ? 'cancelled' : 'failed',
					words: fault?.message ?? FAILED,
					result: fault ? { code: fault.code, details: fault.details } : null
				};
	}
	// It goes on saying that it is alive until how it ended is written down.
	try {
		await settle(job, end);
	} finally {
		beating = false;
		wake();
		await beats;
	}
}

const AGAIN_MILLISECONDS = 300;
/** About as long as a database takes to come back; beyond it whoever tends silent jobs ends this one. */
const MOST_TRIES = 400;

/** Writes down how a job ended: what its own records say, where it did not end as it should. Waits for a database that is away. */
async function settle(job: JobToDo, end: JobEnd): Promise<void> {
	for (let tries = 1; ; tries++)
		try {
			const truth = end.state === 'done' ? undefined : await handlers.get(job.kind)?.truth?.(job, end);
			const { state, words, result } = truth ? { state: 'done' as const, ...truth } : end;
			await endJob(job.id, job.modelId, state, words, result);
			return;
		} catch (error) {
			if (!isDatabaseAway(error) || tries === MOST_TRIES) throw error;
			await new Promise((next) => setTimeout(next, AGAIN_MILLISECONDS));
		}
}

/** Ends the jobs of servers that have gone, by what came of them. @returns their ids */
export async function endSilentJobs(): Promise<number[]> {
	const silent = await takeSilentJobs();
	for (const job of silent)
		// One of this server that only was slow to say so is alive.
		if (!underWay.has(job.id)) await settle(job, { state: 'failed', words: GONE, result: null });
	return silent.map(({ id }) => id);
}

/** Asks what this server carries out to end, and waits until how it ended is written down, for a few seconds at most. */
export async function stopWork(mostMilliseconds: number): Promise<void> {
	const all = [...underWay.values()];
	for (const { stop } of all) stop();
	await Promise.race([
		Promise.allSettled(all.map(({ ended }) => ended)),
		new Promise((done) => setTimeout(done, mostMilliseconds).unref())
	]);
}
