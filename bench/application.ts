import type { SignedIn } from '../src/lib/server/session';
// What benchmarks of the whole product begin with: a database of their own, the demo in it, and the built application.
import { spawn } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { chromium, type Browser } from 'playwright-core';
import pg from 'pg';
import { loadDemo } from '../demo/load';
import { chromiumOptions } from '../scripts/lib/chromium.mjs';
import { removeCluster, startPostgres } from '../scripts/lib/postgres.mjs';
import { closePool } from '../src/lib/server/database';
import { migrate } from '../src/lib/server/database/migrate';
import { stopEngines } from '../src/lib/server/engine';

const CLUSTER = '.pg-bench';
const PORT = 4187;
const BASE = `http://127.0.0.1:${PORT}`;

/** A PostgreSQL of its own, gone afterwards; the product's own code finds it as its database. */
export async function withPostgres<Result>(work: (pool: pg.Pool, url: string) => Promise<Result>): Promise<Result> {
	removeCluster(CLUSTER);
	const { url, stop } = await startPostgres({ dir: CLUSTER, throwAway: true });
	process.env.DATABASE_URL = url;
	const pool = new pg.Pool({ connectionString: url, max: 4 });
	// A connection may still be closing when the server goes.
	pool.on('error', () => {});
	try {
		return await work(pool, url);
	} finally {
		await stopEngines();
		await closePool();
		await pool.end();
		await stop();
		removeCluster(CLUSTER);
	}
}

/** The same with the tables and the demo. */
export const withDemo = <Result>(work: (pool: pg.Pool, url: string) => Promise<Result>): Promise<Result> =>
	withPostgres(async (pool, url) => {
		await migrate(pool, 'src/lib/server/database/migrations');
		await loadDemo(pool);
		return work(pool, url);
	});

/** The built application (`npm run build`) over a prepared database, and a browser. */
export async function withApplication<Result>(
	pool: pg.Pool,
	url: string,
	work: (browser: Browser, base: string) => Promise<Result>
): Promise<Result> {
	const server = spawn(process.execPath, ['build/index.js'], {
		env: { ...process.env, DATABASE_URL: url, PORT: String(PORT), HOST: '127.0.0.1', ORIGIN: BASE, BODY_SIZE_LIMIT: 'Infinity' },
		stdio: 'ignore'
	});
	const browser = await chromium.launch(chromiumOptions);
	try {
		await untilReady();
		return await work(browser, BASE);
	} finally {
		await browser.close();
		server.kill('SIGTERM');
		await new Promise((done) => setTimeout(done, 1_500));
	}
}

/** Signs a person (id) in. @returns the value of the session's cookie */
export async function signIn(pool: pg.Pool, person: number): Promise<string> {
	const token = randomBytes(32).toString('base64url');
	await pool.query("INSERT INTO session (token_hash, person_id, expires_at) VALUES ($1, $2, now() + interval '1 day')", [
		createHash('sha256').update(token).digest(),
		person
	]);
	return token;
}

async function untilReady(): Promise<void> {
	for (let tries = 0; tries < 120; tries++) {
		const answer = await fetch(`${BASE}/healthz`).catch(() => undefined);
		if (answer?.ok) return;
		await new Promise((done) => setTimeout(done, 250));
	}
	throw new Error('The server did not start.');
}

const sorted = (times: readonly number[]): number[] => [...times].sort((a, b) => a - b);

/** The time below which a share of the others lies. */
export const quantile = (times: readonly number[], share: number): number =>
	sorted(times)[Math.min(times.length - 1, Math.floor(times.length * share))]!;

/** The demo's administrator, as somebody who is signed in. */
export async function administrator(database: pg.Pool): Promise<SignedIn> {
	const found = await database.query<SignedIn>(
		`SELECT p.id, p.name, p.locale, array_agg(rp.permission) AS permissions FROM person p JOIN person_role pr ON pr.person_id = p.id
		JOIN role_permission rp ON rp.role_id = pr.role_id WHERE p.email LIKE 'maren%' GROUP BY p.id`
	);
	return found.rows[0]!;
}
