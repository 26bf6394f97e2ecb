import pg from 'pg';
import { inject } from 'vitest';
import { loadDemo } from '../../demo/load';
import { migrate } from '../../src/lib/server/database/migrate';
import '../../src/lib/server/database/pool';

/** A fresh database of its own for a test file, migrated (or by the files of another folder); with the demo when asked. */
export async function freshDatabase(
	name: string,
	{ demo, migrations = 'src/lib/server/database/migrations' }: { demo: boolean; migrations?: string }
): Promise<{ url: string; pool: pg.Pool; close: () => Promise<void> }> {
	const main = new pg.Client({ connectionString: inject('databaseUrl') });
	await main.connect();
	await main.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
	await main.query(`CREATE DATABASE ${name}`);
	await main.end();
	const url = new URL(inject('databaseUrl'));
	url.pathname = `/${name}`;
	const pool = new pg.Pool({ connectionString: url.href, max: 6 });
	pool.on('error', () => {});
	await migrate(pool, migrations);
	if (demo) await loadDemo(pool);
	return { url: url.href, pool, close: () => pool.end() };
}
