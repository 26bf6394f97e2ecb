import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import { asFault } from '../../src/lib/server/answer';
import { closePool, isDatabaseAway, transaction } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import { Fault } from '../../src/lib/server/fault';
import { keepFile, startLoad, stopDataThread } from '../../src/lib/server/import';
import { cancelJob, doJob, endSilentJobs, handleJobs, noteJob, readJob, startJob, startJobs, stopJobs } from '../../src/lib/server/jobs';
import { readSession, signIn, type SignedIn } from '../../src/lib/server/session';
import { freshDatabase } from './demo-database';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let maren: SignedIn;
beforeAll(async () => {
	database = await freshDatabase('jobs', { demo: true });
	process.env.DATABASE_URL = database.url;
	maren = (await readSession(await signIn('maren.kvist@brinewater.example', DEMO_PASSWORD, 'test')))!.in(1);
}, 60_000);
afterAll(async () => {
	await stopJobs();
	await stopDataThread();
	await stopEngines();
	await closePool();
	await database.close();
});

interface Row {
	state: string;
	words: string;
	result: unknown;
}
const jobOf = async (id: number): Promise<Row> =>
	(await database.pool.query<Row>('SELECT state, words, result FROM job WHERE id = $1', [id])).rows[0]!;
const note = (kind: string, payload: object = {}) => noteJob(database.pool, 1, maren.id, kind, kind, payload);
const HEAD = 'Account;Unit;Route;Posting date;Text;Amount\n';
const startLedger = async (content: string) => {
	const file = await keepFile(maren, 1, 'ledger', 'jobs.csv', [new TextEncoder().encode(content)] as never);
	return startLoad(maren, 1, 'ledger', { file: file.id, rejects: 'load good rows', again: true });
};
const until = async (holds: () => Promise<boolean>) => {
	while (!(await holds())) await new Promise((next) => setTimeout(next, 50));
};

describe('how a job ended', () => {
	test('is what its handler says', async () => {
		handleJobs('fine', async () => ({ words: 'Ten rows.', result: { rows: 10 } }));
		const { job } = await startJob(async (client) => ({ job: await noteJob(client, 1, maren.id, 'fine', 'Fine', {}) }));
		expect(await jobOf(job)).toEqual({ state: 'done', words: 'Ten rows.', result: { rows: 10 } });
	});

	test('is read from what it wrote where its handler failed after that', async () => {
		let written = false;
		handleJobs(
			'late',
			async () => {
				written = true;
				throw new Error('Connection terminated unexpectedly');
			},
			async () => (written ? { words: 'Written all the same.', result: {} } : undefined)
		);
		const job = await note('late');
		await doJob(job);
		expect(await jobOf(job)).toMatchObject({ state: 'done', words: 'Written all the same.' });
	});

	test('is never guessed to be nothing: a load whose answer was lost says what it loaded', async () => {
		const { batch, job } = await startLedger(`${HEAD}7010;S-BK;RT-01;02.09.2026;Fares;100-\n`);
		const done = await jobOf(job);
		expect(done).toMatchObject({ state: 'done', words: expect.stringContaining('One row loaded') });
		// Its server is gone before it could say so.
		await database.pool.query(
			"UPDATE job SET state = 'running', words = '', result = NULL, seen_at = now() - interval '1 minute' WHERE id = $1",
			[job]
		);
		expect(await endSilentJobs()).toContain(job);
		expect(await jobOf(job)).toMatchObject({ state: 'done', words: done.words, result: { batch, state: 'loaded' } });
		// One that had written nothing says that, and so does its batch.
		await database.pool.query("UPDATE batch SET state = 'running' WHERE id = $1", [batch]);
		await database.pool.query("UPDATE job SET state = 'running', seen_at = now() - interval '1 minute' WHERE id = $1", [job]);
		await endSilentJobs();
		expect(await jobOf(job)).toMatchObject({ state: 'failed', words: expect.stringContaining('Nothing was written') });
		const left = await database.pool.query<{ state: string }>('SELECT state FROM batch WHERE id = $1', [batch]);
		expect(left.rows[0]!.state).toBe('failed');
	});

	test('waits for what is being committed at this moment', async () => {
		const { batch, job } = await startLedger(`${HEAD}7010;S-BK;RT-01;03.09.2026;Fares;50-\n`);
		await database.pool.query("UPDATE batch SET state = 'running' WHERE id = $1", [batch]);
		await database.pool.query("UPDATE job SET state = 'running', seen_at = now() - interval '1 minute' WHERE id = $1", [job]);
		let ended = false;
		let settled: Promise<unknown> = Promise.resolve();
		await transaction(async (client) => {
			await client.query("UPDATE batch SET state = 'loaded' WHERE id = $1", [batch]);
			settled = endSilentJobs().then(() => (ended = true));
			// Until it waits for this very transaction.
			await until(async () => {
				const waiting = await database.pool.query(
					"SELECT FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock' AND query LIKE 'UPDATE batch%'"
				);
				return (waiting.rowCount ?? 0) > 0;
			});
			expect(ended).toBe(false);
		});
		await settled;
		expect(await jobOf(job)).toMatchObject({ state: 'done' });
	});

	test('is failed where it was refused, with the sentence', async () => {
		handleJobs('refused', async () => {
			throw new Fault(422, 'no rows', 'There are no rows.', { rows: 0 });
		});
		const job = await note('refused');
		await doJob(job);
		expect(await jobOf(job)).toEqual({ state: 'failed', words: 'There are no rows.', result: { code: 'no rows', details: { rows: 0 } } });
	});
});

test('a job belongs to who started it', async () => {
	const [osric, tove] = await Promise.all(
		['osric.hale', 'tove.brandal'].map(async (name) =>
			(await readSession(await signIn(`${name}@brinewater.example`, DEMO_PASSWORD, 'test')))!.in(1)
		)
	);
	const job = await noteJob(database.pool, 1, osric!.id, 'fine', 'Of Osric', {});
	await expect(readJob(tove, 1, job)).rejects.toMatchObject({ status: 403 });
	const vera = (await readSession(await signIn('vera.lindmoor@brinewater.example', DEMO_PASSWORD, 'test')))!.in(1);
	expect(await readJob(vera, 1, job)).toMatchObject({ title: 'Of Osric', mine: false });
	await expect(cancelJob(vera, 1, job)).rejects.toThrow('Osric Hale started this: only they or an administrator end it.');
	expect(await cancelJob(osric, 1, job)).toMatchObject({ state: 'cancelled', mine: true });
	// A planner ends what they started from a form.
	const own = await noteJob(database.pool, 1, tove!.id, 'fine', 'Of Tove', {});
	expect(await cancelJob(tove, 1, own)).toMatchObject({ state: 'cancelled' });
	const other = await noteJob(database.pool, 1, osric!.id, 'fine', 'Of Osric', {});
	expect(await cancelJob(maren, 1, other)).toMatchObject({ state: 'cancelled' });
});

describe('the queue', () => {
	test('takes what was noted in one transaction, and what was lost on its way', async () => {
		const seen: number[] = [];
		handleJobs('counted', async ({ id }) => {
			seen.push(id);
			return { words: 'Counted.', result: null };
		});
		await startJobs();
		// Nothing is queued of what was not noted.
		await expect(
			startJob(async (client) => {
				await noteJob(client, 1, maren.id, 'counted', 'Counted', {});
				throw new Error('No.');
			})
		).rejects.toThrow('No.');
		const { job } = await startJob(async (client) => ({ job: await noteJob(client, 1, maren.id, 'counted', 'Counted', {}) }));
		const lost = await note('counted');
		await database.pool.query("UPDATE job SET made_at = now() - interval '1 minute' WHERE id = $1", [lost]);
		await until(async () => (await jobOf(job)).state === 'done' && (await jobOf(lost)).state === 'done');
		expect(seen.sort((a, b) => a - b)).toEqual([job, lost].sort((a, b) => a - b));
		const waiting = await database.pool.query("SELECT FROM job WHERE state = 'waiting'");
		expect(waiting.rowCount).toBe(0);
	});

	test('outlives its connections, and what runs says so when it has ended', async () => {
		let go = () => {};
		const held = new Promise<void>((next) => (go = next));
		handleJobs('held', async () => {
			await held;
			return { words: 'Held to the end.', result: null };
		});
		const { job } = await startJob(async (client) => ({ job: await noteJob(client, 1, maren.id, 'held', 'Held', {}) }));
		await until(async () => (await jobOf(job)).state === 'running');
		await database.pool.query(
			'SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()'
		);
		go();
		await until(async () => (await jobOf(job).catch(() => undefined))?.state === 'done');
		// And it takes the next one.
		await until(async () => {
			try {
				await startJob(async (client) => ({ job: await noteJob(client, 1, maren.id, 'fine', 'Fine', {}) }));
				return true;
			} catch {
				return false;
			}
		});
	});

	test('is ended with what it runs: marked, and not to be waited for', async () => {
		handleJobs(
			'long',
			(_, __, signal) => new Promise((_done, failed) => signal.addEventListener('abort', () => failed(new Error('aborted'))))
		);
		const { job } = await startJob(async (client) => ({ job: await noteJob(client, 1, maren.id, 'long', 'Long', {}) }));
		await until(async () => (await jobOf(job)).state === 'running');
		await stopJobs();
		expect(await jobOf(job)).toMatchObject({ state: 'failed', words: expect.stringContaining('The server was stopped') });
	});
});

test('a database that is away is told from everything else that fails', () => {
	const coded = (code: string, more: object = {}) => Object.assign(new Error(code), { code, ...more });
	for (const failure of [
		coded('57P01'),
		coded('57P03'),
		coded('08006'),
		coded('ECONNREFUSED', { syscall: 'connect' }),
		new Error('Connection terminated unexpectedly'),
		new Error('timeout exceeded when trying to connect'),
		new AggregateError([coded('ECONNREFUSED', { syscall: 'connect' })])
	])
		expect(isDatabaseAway(failure), failure.message).toBe(true);
	for (const failure of [coded('23505'), coded('ENOENT', { syscall: 'open' }), new Error('No.'), 'gone', undefined])
		expect(isDatabaseAway(failure)).toBe(false);
});

test('what a person is told of a failure is a sentence where there is one to tell', () => {
	const coded = (code: string) => Object.assign(new Error(code), { code });
	expect(asFault(coded('57P01'))).toMatchObject({ status: 503, code: 'database away' });
	expect(asFault(coded('53100'))).toMatchObject({ status: 503, code: 'disk full' });
	expect(asFault(coded('22003'))).toMatchObject({ status: 400 });
	expect(asFault(new Error('a bug'))).toBeUndefined();
	expect(asFault(undefined)).toBeUndefined();
});
