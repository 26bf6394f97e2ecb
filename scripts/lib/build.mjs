// Builds the application when its sources are newer than the last build.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { StepError, step } from './say.mjs';

const SOURCES = ['src', 'static', 'tools', 'package-lock.json', 'svelte.config.js', 'vite.config.ts'];
const STAMP = '.state/build';

/** Runs the production build unless `build/` was made from exactly these sources. */
export async function ensureBuild() {
	const wanted = fingerprint();
	if (existsSync('build/index.js') && existsSync(STAMP) && readFileSync(STAMP, 'utf8') === wanted) return;
	await step('Building the application', () => {
		// tsconfig.json extends a file that this makes.
		spawnSync('node_modules/.bin/svelte-kit', ['sync'], { stdio: ['ignore', 'ignore', 'inherit'] });
		const built = spawnSync('node_modules/.bin/vite', ['build', '--logLevel', 'warn'], { stdio: ['ignore', 'ignore', 'inherit'] });
		if (built.status !== 0) throw new StepError('The build failed.', 'Read the lines above.');
		mkdirSync('.state', { recursive: true });
		writeFileSync(STAMP, wanted);
	});
}

function fingerprint() {
	const hash = createHash('sha256');
	const visit = (path) => {
		if (!existsSync(path)) return;
		if (statSync(path).isDirectory()) for (const name of readdirSync(path).sort()) visit(join(path, name));
		else hash.update(path).update(readFileSync(path));
	};
	for (const path of SOURCES) visit(path);
	return hash.digest('hex');
}
