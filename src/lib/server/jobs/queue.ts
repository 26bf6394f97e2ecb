import { AsyncLocalStorage } from 'node:async_hooks';
import PgBoss from 'pg-boss';
import type pg from 'pg';
import { transaction } from '../database';
import { log } from '../log';
import { kindOfJob, lostJobs } from './job';
import { doJob, endSilentJobs, laneOf, LANES, stopWork, type Lane } from './work';

const MINUTE = 'every-minute';

const shared = globalThis as unknown as { jobQueue?: { boss: PgBoss; workers: ReadonlyMap<Lane, string>; tending: NodeJS.Timeout } };
const everyMinute = new Set<() => Promise<void>>();

/** Names something to be done each minute by one of the servers. */
export function doEveryMinute(work: () => Promise<void>): void {
	everyMinute.add(work);
}

/**
 * Starts taking jobs: of each lane one at a time, because a load uses a processor of its own and the database another.
 * @throws Error when the database cannot be reached
 */
export async function startJobs(): Promise<void> {
	stopping = false;
	if (shared.jobQueue) return;
	const boss = new PgBoss({ connectionString: process.env.DATABASE_URL!, schema: 'job_queue', max: 3 });
	boss.on('error', (error) => log.warn({ err: error }, 'job queue'));
	await boss.start().catch(async (error: unknown) => {
		await boss.stop({ graceful: false, wait: false }).catch(() => {});
		throw error;
	});
	// A load that fails is started again by a person who has read why, not by itself.
	for (const lane of LANES) await boss.createQueue(lane, { name: lane, retryLimit: 0, expireInHours: 6 });
	await boss.createQueue(MINUTE, { name: MINUTE, retryLimit: 0, policy: 'singleton' });
	const workers = new Map<Lane, string>();
	for (const lane of LANES)
		workers.set(
			lane,
			await boss.work<{ job: number }>(lane, { batchSize: 1, pollingIntervalSeconds: 0.5 }, async ([task]) => {
				// How a job ended stands with the job: nothing that fails here is the queue's, or the process's.
				if (task)
					await doJob(task.data.job).catch((error: unknown) => log.error({ err: error, job: task.data.job }, 'a job could not be noted'));
			})
		);
	await boss.work(MINUTE, { batchSize: 1, pollingIntervalSeconds: 5 }, async () => {
		for (const work of everyMinute) await work().catch((error: unknown) => log.error({ err: error }, 'work of the minute failed'));
	});
	await boss.schedule(MINUTE, '* * * * *');
	const tending = setInterval(
		() => void tendJobs().catch((error: unknown) => log.warn({ err: error }, 'jobs could not be tended')),
		TEND_MILLISECONDS
	).unref();
	shared.jobQueue = { boss, workers, tending };
}

let stopping = false;
const AGAIN_MILLISECONDS = 2_000;

/** Starts taking jobs, again and again until the database lets it. */
export function keepTryingToStartJobs(): void {
	if (stopping) return;
	startJobs().catch((error: unknown) => {
		log.error({ err: error }, 'the job queue cannot be started yet: nothing is loaded or run until then');
		setTimeout(keepTryingToStartJobs, AGAIN_MILLISECONDS).unref();
	});
}

/** Whether this server takes jobs. */
export const isQueueRunning = (): boolean => shared.jobQueue !== undefined;

/** Set within work that cannot wait for the queue it came from. */
const withinJob = new AsyncLocalStorage<true>();

/** Does what a job asks other jobs for without waiting for the queue: that takes one at a time, and this one has it. */
export const hereAndNow = <Result>(work: () => Promise<Result>): Promise<Result> => withinJob.run(true, work);

/**
 * Notes a job and hands it to the queue, both with what it is about: in one transaction, so that nothing waits for ever.
 * Without a queue (tests, command line), or within another job's work, it is done here and now.
 * @param note writes down what it is about and the job. @returns the job's id, and what the caller wants to know
 */
export async function startJob<Noted extends { job: number }>(note: (client: pg.PoolClient) => Promise<Noted>): Promise<Noted> {
	const queue = withinJob.getStore() ? undefined : shared.jobQueue;
	let lane: Lane = 'work';
	const noted = await transaction(async (client) => {
		const made = await note(client);
		lane = laneOf(await kindOfJob(client, made.job));
		await queue?.boss.send(
			lane,
			{ job: made.job },
			{ db: { executeSql: async (text: string, values: unknown[]) => ({ rows: (await client.query(text, values)).rows as unknown[] }) } }
		);
		return made;
	});
	if (queue) queue.boss.notifyWorker(queue.workers.get(lane)!);
	else await doJob(noted.job);
	return noted;
}

const TEND_MILLISECONDS = 4_000;

/** Ends what died with its server, and brings back what was lost on its way to the queue. */
async function tendJobs(): Promise<void> {
	await endSilentJobs();
	const queue = shared.jobQueue;
	if (!queue) return;
	for (const { id, kind } of await lostJobs(LANES)) await queue.boss.send(laneOf(kind), { job: id });
}

/** How long work may take to end when the server is stopped. */
const MOST_ENDING_MILLISECONDS = 3_500;

export async function stopJobs(): Promise<void> {
	stopping = true;
	const queue = shared.jobQueue;
	delete shared.jobQueue;
	clearInterval(queue?.tending);
	await stopWork(MOST_ENDING_MILLISECONDS);
	await queue?.boss.stop({ graceful: false, wait: false });
}
