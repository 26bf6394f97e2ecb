import { Fault } from '../fault';
import { log } from '../log';
import { endJob, renewJob, takeJob, type JobToDo } from './job';

/** Carries out a kind of job: told how to say how far it is, and when to end. @returns what is shown of the result */
export type JobHandler = (
	job: JobToDo,
	tell: (done: number, words: string) => void,
	signal: AbortSignal
) => Promise<{ words: string; result: unknown }>;

const handlers = new Map<string, JobHandler>();

/** Names who carries out a kind of job. */
export function handleJobs(kind: string, handler: JobHandler): void {
	handlers.set(kind, handler);
}

/** How often a running job says that it is alive, and hears whether it shall end. */
const BEAT_MILLISECONDS = 400;

/** Carries out a noted job to its end, whatever that is. Never throws: how it ended stands with the job. */
export async function doJob(id: number): Promise<void> {
	const job = await takeJob(id);
	if (!job) return;
	const cancel = new AbortController();
	let done = 0;
	let words = '';
	let beating = true;
	let wake = () => {};
	const beat = async () => {
		while (beating) {
			try {
				const { cancelled } = await renewJob(id, job.modelId, done, words);
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
	const stop = async () => {
		beating = false;
		wake();
		await beats;
	};
	try {
		const handler = handlers.get(job.kind);
		if (!handler) throw new Fault(503, 'no handler', 'This server does not know how to do this.');
		const end = await handler(
			job,
			(count, sentence) => {
				done = count;
				words = sentence;
			},
			cancel.signal
		);
		await stop();
		await endJob(id, job.modelId, 'done', end.words, end.result);
	} catch (error) {
		await stop();
		const fault = error instanceof Fault ? error : undefined;
		if (!fault) log.error({ err: error, job: id }, 'job failed');
		await endJob(
			id,
			job.modelId,
			fault?.code === 'cancelled' ? 'cancelled' : 'failed',
			fault?.message ??
				'Something went wrong on our side. Nothing was written; try again, and tell your administrator if it happens once more.',
			fault ? { code: fault.code, details: fault.details } : null
		);
	}
}
