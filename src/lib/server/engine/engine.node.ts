// The engine's thread: one model, one connection pool of its own; a person's requests are answered in the order they come.
import { parentPort, workerData } from 'node:worker_threads';
import { openPool } from '../database/pool';
import type { EngineReply, EngineRequest } from './messages';
import { EngineFault } from './fault';
import { ModelEngine } from './model-engine';
import { answerOf } from './requests';
import { Turns } from './turns';

const { databaseUrl, modelId } = workerData as { databaseUrl: string; modelId: number };
const POLL_MILLISECONDS = 250;
const port = parentPort!;
const send = (reply: EngineReply) => port.postMessage(reply);

const database = openPool(databaseUrl, 3);
const opening = ModelEngine.open(database, modelId, send);
// Requests that wait hear the reason; then the thread ends, and the next request tries with a new one.
opening.catch(() => setTimeout(() => process.exit(1), 100));

const turns = new Turns();
port.on('message', (request: EngineRequest) => void answer(request));

async function answer({ id, name, ask }: EngineRequest): Promise<void> {
	try {
		const engine = await opening;
		const { person = 0, revision = 0, structure = 0 } = ask as { person?: number; revision?: number; structure?: number };
		if (engine.isBehind(revision, structure)) await turns.alone(() => engine.catchUp());
		send({ kind: 'answer', id, answer: await turns.of(person, () => answerOf(engine, name, ask)) });
	} catch (error) {
		send({
			kind: 'failed',
			id,
			message: error instanceof EngineFault ? error.message : undefined,
			detail: error instanceof Error ? (error.stack ?? error.message) : String(error)
		});
	}
}

/** Other servers write too: follow the structure and the journal. */
const poll = async () => {
	try {
		await (await opening).look((work) => turns.alone(work));
	} catch {
		// The database is away for a moment; the next poll tries again, and requests say so meanwhile.
	}
	setTimeout(poll, POLL_MILLISECONDS).unref();
};
void poll();
