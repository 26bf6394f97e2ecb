// npm run import: loads a file through a saved import; see scripts/import.ts. Standard output holds the JSON summary alone.
import { runBundled } from './lib/bundle.mjs';
import { importByToken } from './lib/import-by-token.mjs';
import { startPostgres } from './lib/postgres.mjs';

if (process.argv.some((argument) => argument.startsWith('--server'))) process.exit(await importByToken());

// Beside a running application its database is used; else it is started for as long as the load takes.
const database = process.env.DATABASE_URL
	? { url: process.env.DATABASE_URL, stop: async () => {} }
	: await startPostgres({ dir: process.env.PG_DIR ?? '.pg' });
const exitCode = await runBundled('scripts/import.ts', {
	env: { ...process.env, DATABASE_URL: database.url, LOG_LEVEL: process.env.LOG_LEVEL ?? 'silent' }
});
await database.stop();
process.exit(exitCode);
