// npm run import: bundles scripts/import.ts as the product is bundled, and runs it; arguments go through. Standard output
// holds the JSON summary alone.
import { build } from 'esbuild';
import { spawnSync } from 'node:child_process';
import { nodeWorker } from '../tools/esbuild-node-worker.mjs';
import { startPostgres } from './lib/postgres.mjs';

const outfile = 'node_modules/.cache/import/import.mjs';
await build({
	entryPoints: ['scripts/import.ts'],
	bundle: true,
	platform: 'node',
	format: 'esm',
	packages: 'external',
	plugins: [nodeWorker(['pg-native'])],
	outfile,
	logLevel: 'warning'
});
// Beside a running application its database is used; else it is started for as long as the load takes.
const database = process.env.DATABASE_URL
	? { url: process.env.DATABASE_URL, stop: async () => {} }
	: await startPostgres({ dir: process.env.PG_DIR ?? '.pg' });
const done = spawnSync(process.execPath, ['--enable-source-maps', outfile, ...process.argv.slice(2)], {
	stdio: 'inherit',
	env: { ...process.env, DATABASE_URL: database.url, LOG_LEVEL: process.env.LOG_LEVEL ?? 'silent' }
});
await database.stop();
process.exit(done.status ?? 1);
