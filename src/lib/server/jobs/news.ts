import pg from 'pg';
import { log } from '../log';

interface Listener {
	hear: (model: number, job: number) => void;
	/** Some of what happened may not have been heard. */
	lost: () => void;
}

const shared = globalThis as unknown as {
	jobNews?: { client: pg.Client | undefined; listeners: Set<Listener> };
};
const news = (shared.jobNews ??= { client: undefined, listeners: new Set() });

const AGAIN_MILLISECONDS = 1_000;

/**
 * Calls back with each job that was made or has moved on, in any server.
 * @param lost called when news may have been missed: the connection that hears broke
 * @returns how to stop
 */
export function onJobNews(hear: Listener['hear'], lost: () => void = () => {}): () => void {
	const listener: Listener = { hear, lost };
	news.listeners.add(listener);
	void listen();
	return () => news.listeners.delete(listener);
}

/** One connection of this server hears for all of its pages; it is made when first needed and anew when it breaks. */
async function listen(): Promise<void> {
	if (news.client) return;
	const client = (news.client = new pg.Client({ connectionString: process.env.DATABASE_URL }));
	const again = () => {
		if (news.client !== client) return;
		news.client = undefined;
		for (const { lost } of [...news.listeners]) lost();
		if (news.listeners.size > 0) setTimeout(() => void listen(), AGAIN_MILLISECONDS).unref();
	};
	client.on('error', again);
	client.on('end', again);
	client.on('notification', ({ payload }) => {
		const [model = 0, job = 0] = (payload ?? '').split(' ').map(Number);
		for (const { hear } of news.listeners) hear(model, job);
	});
	try {
		await client.connect();
		await client.query('LISTEN job');
	} catch (error) {
		log.warn({ err: error }, 'no news of jobs');
		again();
	}
}

export async function stopJobNews(): Promise<void> {
	const { client } = news;
	news.client = undefined;
	news.listeners.clear();
	await client?.end().catch(() => {});
}
