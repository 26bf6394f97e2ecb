import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import type pg from 'pg';
import { transaction } from './pool';
import { lockMigrations } from './locks';

/**
 * Brings a database up to date: runs the numbered `.sql` files it has not seen, each with its version in one
 * transaction, under a lock so that two servers starting together do it once.
 * @param folder where the files are
 * @returns the versions that were run
 * @throws Error when the database is newer than these files
 */
export async function migrate(database: pg.Pool, folder: string): Promise<number[]> {
	const files = readdirSync(folder)
		.filter((name) => /^\d{4}_.*\.sql$/.test(name))
		.sort();
	return transaction(async (client) => {
		await lockMigrations(client);
		await client.query(
			'CREATE TABLE IF NOT EXISTS schema_version (version integer PRIMARY KEY, name text NOT NULL, at timestamptz NOT NULL DEFAULT now())'
		);
		const known = await client.query<{ version: number }>('SELECT version FROM schema_version');
		const done = new Set(known.rows.map((row) => row.version));
		const latest = Number(files.at(-1)?.slice(0, 4) ?? 0);
		const newer = [...done].filter((version) => version > latest);
		if (newer.length > 0)
			throw new Error(`The database is at version ${Math.max(...newer)}, this application at ${latest}. Start the newer application.`);
		const run: number[] = [];
		for (const file of files) {
			const version = Number(file.slice(0, 4));
			if (done.has(version)) continue;
			await client.query(readFileSync(join(folder, file), 'utf8'));
			await client.query('INSERT INTO schema_version (version, name) VALUES ($1, $2)', [version, file]);
			run.push(version);
		}
		return run;
	}, database);
}
