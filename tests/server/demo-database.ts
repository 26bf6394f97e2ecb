import { setTimeout as pause } from 'node:timers/promises';
import pg from 'pg';
import { expect, inject } from 'vitest';
import { loadDemo } from '../../demo/load';
import { ModelEngine } from '../../src/lib/server/engine/model-engine';
import { answerOf } from '../../src/lib/server/engine/requests';
import { migrate } from '../../src/lib/server/database/migrate';
import { isDatabaseAway } from '../../src/lib/server/database/away';
import { closePool, openPool } from '../../src/lib/server/database/pool';
import type { SignedIn } from '../../src/lib/server/session';
import { verifyModels } from '../../src/lib/server/verify';

/** A fresh database of its own for a test file, migrated (or by the files of another folder); with the demo, and as the
 * application's own, when asked. */
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
	const pool = openPool(url.href, 6);
	await migrate(pool, migrations);
	if (demo) {
		process.env.DATABASE_URL = url.href;
		await loadDemo(pool);
		await closePool();
	}
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

/**
 * An engine that follows all that is done to a database from here on.
 * @returns a check, for the end, that it holds what an engine holds that is opened then; it also closes both
 */
export async function followModel(url: string, modelId = 1): Promise<() => Promise<void>> {
	const open = () => ModelEngine.open(openPool(url, 2), modelId, () => {});
	const follower = await open();
	let going = true;
	const following = (async () => {
		while (going) {
			// The database may be away for a moment.
			await follower.catchUp().catch((error: unknown) => {
				if (!isDatabaseAway(error)) throw error;
			});
			await pause(40);
		}
	})();
	// It may fail before the end is asked for; then that is where it is heard.
	following.catch(() => {});
	return async () => {
		going = false;
		await following;
		const fresh = await open();
		await follower.catchUp();
		const [followed, read] = await Promise.all(
			[follower, fresh].map((engine) => answerOf(engine, 'leafCells', { revision: 0, structure: 0, slice: {} }))
		);
		const [was, is] = await Promise.all([follower, fresh].map((engine) => answerOf(engine, 'ready', { revision: 0 })));
		await Promise.all([follower, fresh].map((engine) => answerOf(engine, 'close', {})));
		expect([was!.revision, was!.cells]).toEqual([is!.revision, is!.cells]);
		const isOther = (one: Int32Array, other: Int32Array) => one.length !== other.length || one.some((id, cell) => id !== other[cell]);
		expect([...read!.members, read!.periods].findIndex((ids, axis) => isOther(ids, [...followed!.members, followed!.periods][axis]!))).toBe(
			-1
		);
		const apart = read!.amounts.findIndex((amount, cell) => Math.abs(amount - followed!.amounts[cell]!) > 1e-6);
		expect(apart, `cell ${apart}: ${followed!.amounts[apart]} followed, ${read!.amounts[apart]} read`).toBe(-1);
	};
}
