// npm run demo:reset: throws the demo's database away and loads the demo again.
import { spawnSync } from 'node:child_process';
import { ensureNpmPackages } from './lib/packages.mjs';
import { startPostgres } from './lib/postgres.mjs';
import { StepError, run, say, step } from './lib/say.mjs';

await run(async () => {
	await ensureNpmPackages();
	const database = process.env.DATABASE_URL
		? { url: process.env.DATABASE_URL, stop: async () => {} }
		: await startPostgres({ dir: process.env.PG_DIR ?? '.pg' });
	try {
		await step('Loading the demo into an emptied database', () => {
			const done = spawnSync(process.execPath, ['--import', 'tsx', 'scripts/prepare-database.ts', '--reset'], {
				stdio: ['ignore', 'inherit', 'inherit'],
				env: { ...process.env, DATABASE_URL: database.url }
			});
			if (done.status !== 0) throw new StepError('The demo could not be loaded.', 'Read the lines above.');
		});
		say('  The demo is as new. A running application shows it after a restart.');
	} finally {
		await database.stop();
	}
});
