// npm run migrate: brings the database up to date, without the demo. For servers that are started by a supervisor.
import { spawnSync } from 'node:child_process';
import { withDatabase } from './lib/database.mjs';
import { StepError, run } from './lib/say.mjs';

await run(() =>
	withDatabase(({ url }) => {
		const done = spawnSync(process.execPath, ['--import', 'tsx', 'scripts/prepare-database.ts'], {
			stdio: ['ignore', 'inherit', 'inherit'],
			env: { ...process.env, DATABASE_URL: url, DEMO: '0' }
		});
		if (done.status !== 0) throw new StepError('The database could not be prepared.', 'Read the lines above; the data is as it was.');
	})
);
