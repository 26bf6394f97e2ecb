// The engine's thread: one model, one connection pool of its own, requests answered in the order they come.
import pg from 'pg';
import { parentPort, workerData } from 'node:worker_threads';
import '../database/pool';
import type { EngineReply, EngineRequest } from './messages';
import { EngineFault, ModelEngine } from './model-engine';

const { databaseUrl, modelId } = workerData as { databaseUrl: string; modelId: number };
const POLL_MILLISECONDS = 250;
const port = parentPort!;
const send = (reply: EngineReply) => port.postMessage(reply);

const database = new pg.Pool({ connectionString: databaseUrl, max: 3 });
database.on('error', () => {});
const opening = ModelEngine.open(database, modelId, send);
// Requests that wait hear the reason; then the thread ends, and the next request tries with a new one.
opening.catch(() => setTimeout(() => process.exit(1), 100));

let last: Promise<void> = Promise.resolve();
port.on('message', (request: EngineRequest) => {
	last = last.then(() => answer(request));
});

async function answer({ id, name, ask }: EngineRequest): Promise<void> {
	try {
		const engine = await opening;
		await engine.reachStructure((ask as { structure?: number }).structure ?? 0);
		send({ kind: 'answer', id, answer: await engine.handle(name, ask) });
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
	// In its turn among the requests, so that none of them meets half a change.
	await (last = last
		.then(async () => (await opening).catchUp())
		.catch(() => {
			// The database is away for a moment; the next poll tries again, and requests say so meanwhile.
		}));
	setTimeout(poll, POLL_MILLISECONDS).unref();
};
void poll();
