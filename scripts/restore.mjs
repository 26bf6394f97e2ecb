// npm run restore -- FILE: puts a backup into an empty database, or in the place of what is there with --replace; then verifies it.
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import pg from 'pg';
import { runBundled } from './lib/bundle.mjs';
import { withDatabase } from './lib/database.mjs';
import { ensurePostgres } from './lib/packages.mjs';
import { StepError, run, say, step } from './lib/say.mjs';

const [file] = process.argv.slice(2).filter((each) => !each.startsWith('--'));
const replace = process.argv.includes('--replace');

await run(() =>
	withDatabase(async ({ url }) => {
		if (!file || !existsSync(file))
			throw new StepError(`There is no backup ${file ?? ''}.`, 'Name the file: npm run restore -- backups/….dump');
		const bin = await ensurePostgres();
		const readable = spawnSync(join(bin, 'pg_restore'), ['--list', file], { encoding: 'utf8' });
		if (readable.status !== 0) throw new StepError(`${file} is no backup that can be read.`, 'Take another one; nothing was changed.');
		await step('Making room', () => makeRoom(url));
		await step(`Restoring ${file}`, () => {
			const done = spawnSync(
				join(bin, 'pg_restore'),
				['--no-owner', '--no-privileges', '--exit-on-error', '--single-transaction', '--dbname', url, file],
				{ encoding: 'utf8' }
			);
			if (done.status !== 0)
				throw new StepError(
					`The backup could not be restored: ${done.stderr.trim()}`,
					'Nothing of it was kept. Check the space on the disk.'
				);
		});
		say('  Holding every cell against the journal:');
		process.exitCode = await runBundled('scripts/verify.ts', { env: { ...process.env, DATABASE_URL: url } });
	})
);

/** Empties the database, which is done only when it holds nothing, or when that is asked for. */
async function makeRoom(url) {
	const client = new pg.Client({ connectionString: url });
	await client.connect();
	try {
		const { rows } = await client.query("SELECT to_regclass('public.model') IS NOT NULL AS there");
		const models = rows[0].there ? (await client.query('SELECT count(*)::integer AS count FROM model')).rows[0].count : 0;
		if (models > 0 && !replace)
			throw new StepError(
				`The database holds ${models} models.`,
				'Restore into an empty one (PG_DIR=.pg-restored), or add --replace to put the backup in their place.'
			);
		const { rows: others } = await client.query(
			'SELECT count(*)::integer AS count FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()'
		);
		if (others[0].count > 0) throw new StepError('The application is running on this database.', 'Stop it first, then restore.');
		await client.query('DROP SCHEMA IF EXISTS public CASCADE; DROP SCHEMA IF EXISTS job_queue CASCADE; CREATE SCHEMA public');
	} finally {
		await client.end();
	}
}
