import type { Worker } from 'node:worker_threads';
import { Fault } from '../../fault';
import { log } from '../../log';
import createDataThread from './data.node.ts?nodeworker';
import type { WorkName, WorkReply, WorkRequests } from './messages';

interface Waiting {
	done: (answer: unknown) => void;
	failed: (error: unknown) => void;
	tell: (rows: number, words: string) => void;
}

/** A data thread, seen from the server. */
class DataThread {
	readonly #worker: Worker;
	readonly #waiting = new Map<number, Waiting>();
	#next = 1;
	ended = false;

	constructor(name: string) {
		// A workbook that unpacks to more than it should ends this thread, not the server.
		this.#worker = createDataThread({ name, resourceLimits: { maxOldGenerationSizeMb: 1_536 } });
		this.#worker.on('message', (reply: WorkReply) => this.#take(reply));
		this.#worker.on('error', (error) => this.#end(error));
		this.#worker.on('exit', () => this.#end(new Error('The data thread has stopped.')));
		this.#worker.unref();
	}

	ask<Name extends WorkName>(
		name: Name,
		ask: WorkRequests[Name]['ask'],
		tell: Waiting['tell'] = () => {}
	): Promise<WorkRequests[Name]['answer']> {
		const id = this.#next++;
		return new Promise((done, failed) => {
			this.#waiting.set(id, { done: done as (answer: unknown) => void, failed, tell });
			this.#worker.postMessage({ id, name, ask });
		});
	}

	async stop(): Promise<void> {
		this.ended = true;
		await this.#worker.terminate();
	}

	#take(reply: WorkReply): void {
		const waiting = this.#waiting.get(reply.id);
		if (reply.kind === 'progress') return waiting?.tell(reply.rows, reply.words);
		this.#waiting.delete(reply.id);
		if (reply.kind === 'answer') waiting?.done(reply.answer);
		else if (reply.kind === 'fault') waiting?.failed(new Fault(reply.status, reply.code, reply.message, reply.details));
		else {
			log.error({ detail: reply.detail }, 'data request failed');
			waiting?.failed(new Error(reply.detail));
		}
	}

	#end(error: unknown): void {
		if (!this.ended) log.error({ err: error }, 'data thread ended');
		this.ended = true;
		const full = (error as { code?: string }).code === 'ERR_WORKER_OUT_OF_MEMORY';
		const reason = full
			? new Fault(413, 'too large', 'This file needs more memory than one load may take. Save it as CSV, or split it, and load that.')
			: error;
		for (const { failed } of this.#waiting.values()) failed(reason);
		this.#waiting.clear();
	}
}

const shared = globalThis as unknown as { dataThread?: { thread: DataThread; made: unknown } };

/** Asks the thread that looks at files; it stays, because it keeps rows at hand. @throws Fault with its sentence */
export function askData<Name extends WorkName>(name: Name, ask: WorkRequests[Name]['ask']): Promise<WorkRequests[Name]['answer']> {
	let running = shared.dataThread;
	if (!running || running.thread.ended || running.made !== createDataThread) {
		void running?.thread.stop();
		shared.dataThread = running = { thread: new DataThread('data'), made: createDataThread };
	}
	return running.thread.ask(name, ask);
}

/**
 * Does one piece of work in a thread of its own, which can be ended at any moment: what it has not committed is undone by
 * the database.
 * @throws Fault 'cancelled' when the signal says so
 */
export async function inOwnThread<Name extends WorkName>(
	name: Name,
	ask: WorkRequests[Name]['ask'],
	tell: (rows: number, words: string) => void,
	signal?: AbortSignal
): Promise<WorkRequests[Name]['answer']> {
	const thread = new DataThread(name);
	const cancelled = new Promise<never>((_, failed) => {
		const end = () => failed(new Fault(409, 'cancelled', 'Cancelled. Nothing was loaded.'));
		if (signal?.aborted) end();
		else signal?.addEventListener('abort', end, { once: true });
	});
	try {
		return await Promise.race([thread.ask(name, ask, tell), cancelled]);
	} finally {
		await thread.stop();
	}
}

/** Ends the data thread. */
export async function stopDataThread(): Promise<void> {
	await shared.dataThread?.thread.stop();
	delete shared.dataThread;
}
