// npm run screenshots: one picture of each main view, from the demo as it is after a reset, into docs/screenshots/, and the small ones of the handbook.
import { spawn, spawnSync } from 'node:child_process';
import { mkdirSync } from 'node:fs';
import { ensureBuild } from './lib/build.mjs';
import { ensureChromium, ensureNpmPackages } from './lib/packages.mjs';
import { freePort, removeCluster } from './lib/postgres.mjs';
import { StepError, run, step } from './lib/say.mjs';

const CLUSTER = '.pg-screenshots';

await run(async () => {
	await ensureNpmPackages();
	await ensureChromium();
	await ensureBuild();
	removeCluster(CLUSTER);
	mkdirSync('docs/screenshots', { recursive: true });
	mkdirSync('docs/handbook/pictures', { recursive: true });
	const port = await freePort();
	const origin = `http://127.0.0.1:${port}`;
	const server = spawn(process.execPath, ['scripts/start.mjs'], {
		env: { ...process.env, PORT: String(port), ORIGIN: origin, PG_DIR: CLUSTER, PG_THROW_AWAY: '1' },
		stdio: 'ignore'
	});
	try {
		await step('Starting the demo', () => untilReady(origin));
		await step('Taking the pictures', () => {
			const done = spawnSync(process.execPath, ['--import', 'tsx', 'scripts/take-screenshots.ts', origin], { stdio: 'inherit' });
			if (done.status !== 0) throw new StepError('A picture could not be taken.', 'Read the lines above.');
		});
	} finally {
		server.kill('SIGTERM');
		await new Promise((ended) => server.once('exit', ended));
		removeCluster(CLUSTER);
	}
});

async function untilReady(origin) {
	for (let tries = 0; tries < 240; tries++) {
		const answer = await fetch(`${origin}/readyz`).catch(() => undefined);
		if (answer?.ok) return;
		await new Promise((done) => setTimeout(done, 500));
	}
	throw new StepError('The demo did not start.', 'Try npm start and read what it says.');
}
