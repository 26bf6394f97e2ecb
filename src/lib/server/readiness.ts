import { pool } from './database';
import { enginesRunning } from './engine';
import { isQueueRunning } from './jobs';

export interface Readiness {
	status: 'ready' | 'waiting';
	database: 'answers' | 'away';
	/** Jobs wait while it is away; everything else goes on. */
	queue: 'running' | 'away';
	/** Threads that hold models; one starts when its model is first asked for. */
	engines: number;
}

/** How long the database may take to answer before people are sent elsewhere. */
const MOST_MILLISECONDS = 2_000;

/** What works at this moment. */
export async function readiness(): Promise<Readiness> {
	const answers = await Promise.race([
		pool()
			.query('SELECT 1')
			.then(
				() => true,
				() => false
			),
		new Promise<false>((done) => setTimeout(() => done(false), MOST_MILLISECONDS).unref())
	]);
	return {
		status: answers ? 'ready' : 'waiting',
		database: answers ? 'answers' : 'away',
		queue: isQueueRunning() ? 'running' : 'away',
		engines: enginesRunning()
	};
}
