import type { TestProject } from 'vitest/node';
import { removeCluster, startPostgres } from '../scripts/lib/postgres.mjs';

/** A throw-away PostgreSQL for the tests that need one; its address is `inject('databaseUrl')`. */
export default async function setup(project: TestProject) {
	const database = await startPostgres({ dir: '.pg-test', throwAway: true });
	project.provide('databaseUrl', database.url);
	return async () => {
		await database.stop();
		removeCluster('.pg-test');
	};
}

declare module 'vitest' {
	export interface ProvidedContext {
		databaseUrl: string;
	}
}
