// npm run administrator: lets somebody in who may do everything; see scripts/administrator.ts.
import { runBundled } from './lib/bundle.mjs';
import { startPostgres } from './lib/postgres.mjs';

const database = process.env.DATABASE_URL
	? { url: process.env.DATABASE_URL, stop: async () => {} }
	: await startPostgres({ dir: process.env.PG_DIR ?? '.pg' });
const exitCode = await runBundled('scripts/administrator.ts', {
	env: { ...process.env, DATABASE_URL: database.url, LOG_LEVEL: process.env.LOG_LEVEL ?? 'silent' }
});
await database.stop();
process.exit(exitCode);
