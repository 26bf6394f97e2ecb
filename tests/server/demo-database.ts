import pg from 'pg';
import { expect, inject } from 'vitest';
import { loadDemo } from '../../demo/load';
import { migrate } from '../../src/lib/server/database/migrate';
import '../../src/lib/server/database/pool';
import type { SignedIn } from '../../src/lib/server/session';
import { verifyModels } from '../../src/lib/server/verify';

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

/** Everybody of the demo with what they may do, by first name. */
export async function peopleOf(pool: pg.Pool): Promise<Map<string, SignedIn>> {
	const found = await pool.query<SignedIn>(
		`SELECT p.id, p.name, p.email, p.title, p.locale, p.theme, array_agg(rp.permission) AS permissions
		FROM person p JOIN person_role pr ON pr.person_id = p.id JOIN role_permission rp ON rp.role_id = pr.role_id GROUP BY p.id`
	);
	return new Map(found.rows.map((person) => [person.name.split(' ')[0]!, person]));
}

/** Fails unless what is stored is what the journal says. */
export async function expectJournalHolds(pool: pg.Pool): Promise<void> {
	const client = await pool.connect();
	try {
		for (const { model, differences, first } of await verifyModels(client)) expect(differences, `${model}: ${first.join('; ')}`).toBe(0);
	} finally {
		client.release();
	}
}
