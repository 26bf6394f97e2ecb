import type { Worker } from 'node:worker_threads';
import { Fault } from '../fault';
import { log } from '../log';
import createEngine from './engine.node.ts?nodeworker';
import type { EngineNews, EngineReply } from './messages';
import type { AnswerOf, AskOf, EngineRequestName } from './requests';

interface Listener {
	hear: (news: EngineNews) => void;
	lost: () => void;
}

interface Waiting {
	done: (answer: unknown) => void;
	failed: (error: unknown) => void;
}

/** A model's engine thread, seen from the server. */
class EngineHost {
	readonly #worker: Worker;
	readonly #waiting = new Map<number, Waiting>();
	readonly #modelId: number;
	#next = 1;
	ended = false;

	constructor(modelId: number) {
		this.#modelId = modelId;
		this.#worker = createEngine({ workerData: { databaseUrl: process.env.DATABASE_URL, modelId }, name: `engine-${modelId}` });
		this.#worker.on('message', (reply: EngineReply) => this.#take(reply));
		this.#worker.on('error', (error) => this.#end(error));
		this.#worker.on('exit', () => this.#end(new Error('The engine has stopped.')));
		this.#worker.unref();
	}

	ask<Name extends EngineRequestName>(name: Name, ask: AskOf<Name>): Promise<AnswerOf<Name>> {
		const id = this.#next++;
		return new Promise((done, failed) => {
			this.#waiting.set(id, { done: done as (answer: unknown) => void, failed });
			this.#worker.postMessage({ id, name, ask });
		});
	}

	async stop(): Promise<void> {
		// Asked for, so no failure to be logged.
		this.ended = true;
		await this.#worker.terminate();
	}

	#take(reply: EngineReply): void {
		if (reply.kind === 'revision' || reply.kind === 'structure' || reply.kind === 'branch') {
			for (const { hear } of listenersOf(this.#modelId)) hear(reply);
			return;
		}
		const waiting = this.#waiting.get(reply.id);
		this.#waiting.delete(reply.id);
		if (reply.kind === 'answer') waiting?.done(reply.answer);
		else if (reply.message !== undefined) waiting?.failed(new Fault(422, 'not possible', reply.message));
		else {
			log.error({ detail: reply.detail }, 'engine request failed');
			waiting?.failed(new Error(reply.detail));
		}
	}

	#end(error: unknown): void {
		if (!this.ended) log.error({ err: error }, 'engine ended');
		this.ended = true;
		for (const { failed } of this.#waiting.values()) failed(error);
		this.#waiting.clear();
		// Nothing is heard of a thread that has gone: pages ask again, and a new one starts.
		if (engines.get(this.#modelId)?.host === this) for (const { lost } of [...listenersOf(this.#modelId)]) lost();
	}
}

// Kept on globalThis so that a reload in development finds the running threads, and swaps those made from older code.
const shared = globalThis as unknown as {
	engines?: Map<number, { host: EngineHost; made: unknown }>;
	news?: Map<number, Set<Listener>>;
	runners?: Map<number, { host: EngineHost; made: unknown; ends: NodeJS.Timeout | undefined }>;
};
const engines = (shared.engines ??= new Map());
const news = (shared.news ??= new Map());

/** Who hears what a model's engine tells: kept by model, as threads come and go. */
function listenersOf(modelId: number): Set<Listener> {
	let listeners = news.get(modelId);
	if (!listeners) news.set(modelId, (listeners = new Set()));
	return listeners;
}

function engineOf(modelId: number): EngineHost {
	let running = engines.get(modelId);
	if (!running || running.host.ended || running.made !== createEngine) {
		void running?.host.stop();
		engines.set(modelId, (running = { host: new EngineHost(modelId), made: createEngine }));
	}
	return running.host;
}

/** Asks a model's engine, starting it when needed. @throws Fault with the engine's sentence */
export const askEngine = <Name extends EngineRequestName>(modelId: number, name: Name, ask: AskOf<Name>): Promise<AnswerOf<Name>> =>
	engineOf(modelId).ask(name, ask);

const runners = (shared.runners ??= new Map());

/** A thread for long computing ends when nobody has asked it for this long: it holds a second copy of the cells. */
const RUNNER_IDLE_MILLISECONDS = 120_000;

/** Asks a second thread with a copy of its own, for work that would keep typing waiting. @throws Fault with the engine's sentence */
export async function askRunner<Name extends EngineRequestName>(modelId: number, name: Name, ask: AskOf<Name>): Promise<AnswerOf<Name>> {
	let running = runners.get(modelId);
	if (!running || running.host.ended || running.made !== createEngine) {
		void running?.host.stop();
		runners.set(modelId, (running = { host: new EngineHost(modelId), made: createEngine, ends: undefined }));
	}
	const runner = running;
	clearTimeout(runner.ends);
	try {
		return await runner.host.ask(name, ask);
	} finally {
		clearTimeout(runner.ends);
		runner.ends = setTimeout(() => {
			if (runners.get(modelId) === runner) runners.delete(modelId);
			void runner.host.stop();
		}, RUNNER_IDLE_MILLISECONDS).unref();
	}
}

/** Lets a model's engine reach a revision, if one is running: who asks next finds it there. */
export async function catchUpEngine(modelId: number, revision: number): Promise<void> {
	if (engines.get(modelId)?.host.ended === false) await askEngine(modelId, 'ready', { revision });
}

/**
 * Calls back with each new revision or structure of a model.
 * @param lost called when nothing more will be heard: its thread has ended
 * @returns how to stop
 */
export function onNews(modelId: number, hear: (news: EngineNews) => void, lost: () => void = () => {}): () => void {
	engineOf(modelId);
	const listener: Listener = { hear, lost };
	listenersOf(modelId).add(listener);
	return () => listenersOf(modelId).delete(listener);
}

/** How many threads hold a model. */
export const enginesRunning = (): number => [...engines.values(), ...runners.values()].filter(({ host }) => !host.ended).length;

/** Ends all engine threads. */
export async function stopEngines(): Promise<void> {
	await Promise.all([...engines.values(), ...runners.values()].map(({ host }) => host.stop()));
	engines.clear();
	runners.clear();
}
