// npm run backup [-- FILE]: everything the installation holds in one file, taken while people work.
import { spawnSync } from 'node:child_process';
import { mkdirSync, renameSync, rmSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { withDatabase } from './lib/database.mjs';
import { ensurePostgres } from './lib/packages.mjs';
import { StepError, run, say, step } from './lib/say.mjs';

const moment = new Date().toISOString().slice(0, 19).replaceAll(':', '').replace('T', '-');
const file = process.argv[2] ?? join('backups', `noble-lattice-${moment}.dump`);

await run(() =>
	withDatabase(async ({ url }) => {
		const bin = await ensurePostgres();
		mkdirSync(dirname(file), { recursive: true });
		const part = `${file}.part`;
		await step(`Writing ${file}`, () => {
			const done = spawnSync(join(bin, 'pg_dump'), ['--format=custom', '--no-owner', '--no-privileges', '--file', part, url], {
				encoding: 'utf8'
			});
			if (done.status !== 0) {
				rmSync(part, { force: true });
				throw new StepError(
					`The backup could not be written: ${done.stderr.trim()}`,
					'Check the space on the disk, and that the database runs.'
				);
			}
			// A file under its name is whole.
			renameSync(part, file);
		});
		say(
			`  ${(statSync(file).size / 1024 / 1024).toFixed(1)} MB. The key for secrets is not in it: keep that apart (see docs/operating.md).`
		);
	})
);
