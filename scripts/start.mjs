// npm start: everything from a fresh clone to a running application. `--dev` serves from source instead of the build.
import { spawn, spawnSync } from 'node:child_process';
import { createServer } from 'node:net';
import { ensureBuild } from './lib/build.mjs';
import { ensureNpmPackages } from './lib/packages.mjs';
import { startPostgres } from './lib/postgres.mjs';
import { StepError, run, say, step } from './lib/say.mjs';

const dev = process.argv.includes('--dev');
const host = (process.env.HOST ??= '127.0.0.1');
const port = (process.env.PORT ??= '4173');
process.env.ORIGIN ??= `http://${host}:${port}`;
// Uploads are limited by the routes that take them, with a sentence; the adapter's own limit would cut the line.
process.env.BODY_SIZE_LIMIT ??= 'Infinity';
process.env.SHUTDOWN_TIMEOUT ??= '5';

/** A server that ends by itself is started again: at once, and later when it does not stay. */
const SHORTEST_MILLISECONDS = 500;
const LONGEST_MILLISECONDS = Number(process.env.RESTART_AFTER_AT_MOST ?? 15_000);
const STAYS_MILLISECONDS = 60_000;

await run(async () => {
	say('Noble Lattice');
	await requireFreePort();
	await ensureNpmPackages();
	const database = process.env.DATABASE_URL
		? { url: process.env.DATABASE_URL, stop: async () => {} }
		: await step('Starting the private PostgreSQL', () =>
				startPostgres({ dir: process.env.PG_DIR ?? '.pg', throwAway: process.env.PG_THROW_AWAY === '1' })
			);
	process.env.DATABASE_URL = database.url;
	if (database.secretKeyFile && !process.env.SECRET_KEY) process.env.SECRET_KEY_FILE ??= database.secretKeyFile;
	if (database.sharedWith) say(`  Process ${database.sharedWith} runs over the same folder: this is a second server over its database.`);
	let stopping = false;
	const interrupted = async () => {
		if (stopping) return;
		stopping = true;
		await database.stop();
		process.exit(130);
	};
	for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, interrupted);
	try {
		await prepareDatabase();
		if (!dev) await ensureBuild();
	} catch (error) {
		await database.stop();
		throw error;
	}
	for (const signal of ['SIGINT', 'SIGTERM']) process.off(signal, interrupted);
	if (dev) serveSources(database);
	else serveBuild(database);
});

function serveBuild(database) {
	let stopping = false;
	let pause = SHORTEST_MILLISECONDS;
	let server;
	const end = async (code) => {
		await database.stop();
		process.exit(code);
	};
	const serve = (isFirst) => {
		const began = Date.now();
		server = spawn(process.execPath, ['scripts/serve.mjs'], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
		server.once('message', () => isFirst && void announce());
		server.once('exit', (code, signal) => {
			if (stopping || code === 0) return void end(stopping ? 0 : code);
			if (Date.now() - began > STAYS_MILLISECONDS) pause = SHORTEST_MILLISECONDS;
			say(`  The server ended (${signal ?? code}) and is started again.`);
			setTimeout(() => (stopping ? void end(0) : serve(false)), pause);
			pause = Math.min(LONGEST_MILLISECONDS, pause * 2);
		});
	};
	for (const signal of ['SIGINT', 'SIGTERM'])
		process.on(signal, () => {
			if (stopping) return;
			stopping = true;
			if (server.exitCode === null && server.signalCode === null) server.kill('SIGTERM');
			else void end(0);
		});
	serve(true);
}

function serveSources(database) {
	const vite = spawn('node_modules/.bin/vite', ['dev', '--host', host, '--port', port, '--strictPort'], { stdio: 'inherit' });
	const end = async () => {
		vite.kill('SIGTERM');
		await database.stop();
		process.exit(0);
	};
	for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, end);
	vite.once('exit', end);
}

async function prepareDatabase() {
	await step('Bringing the database up to date, demo included', () => {
		const prepared = spawnSync(process.execPath, ['--import', 'tsx', 'scripts/prepare-database.ts'], {
			stdio: ['ignore', 'inherit', 'inherit']
		});
		if (prepared.status !== 0)
			throw new StepError('The database could not be prepared.', 'Read the lines above; the data is as it was before this start.');
	});
}

async function announce() {
	const { DEMO_PASSWORD, demoPeople } = await import('../demo/people.mjs');
	say(`\n  Ready on ${process.env.ORIGIN}\n`);
	say('  The demo, Brinewater Crossings, knows these people:');
	for (const person of demoPeople) say(`    ${person.email.padEnd(34)} ${person.title}`);
	say(`  All of them sign in with the password  ${DEMO_PASSWORD}\n\n  Ctrl+C stops everything.\n`);
}

async function requireFreePort() {
	await new Promise((done, failed) => {
		const probe = createServer();
		probe.once('error', (error) =>
			failed(
				error.code === 'EADDRINUSE'
					? new StepError(`Port ${port} on ${host} is in use.`, 'Stop the program that uses it, or choose another: PORT=4180 npm start')
					: new StepError(`Port ${port} on ${host} cannot be opened (${error.code}).`, 'Choose another: PORT=4180 npm start')
			)
		);
		probe.listen(Number(port), host, () => probe.close(done));
	});
}
