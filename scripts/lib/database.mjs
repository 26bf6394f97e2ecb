import { ensureNpmPackages } from './packages.mjs';
import { startPostgres } from './postgres.mjs';

/** Does something with the installation's database: the one DATABASE_URL names, or the private one, started for it when it is not running. */
export async function withDatabase(work) {
	await ensureNpmPackages();
	const database = process.env.DATABASE_URL
		? { url: process.env.DATABASE_URL, stop: async () => {} }
		: await startPostgres({ dir: process.env.PG_DIR ?? '.pg' });
	try {
		return await work(database);
	} finally {
		await database.stop();
	}
}
