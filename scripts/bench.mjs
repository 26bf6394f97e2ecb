// npm run bench: installs what is missing and runs the benchmarks; arguments go through to bench/run.ts.
import { spawnSync } from 'node:child_process';
import { ensureNpmPackages } from './lib/packages.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
	await ensureNpmPackages();
	const done = spawnSync(process.execPath, ['--max-old-space-size=12000', '--import', 'tsx', 'bench/run.ts', ...process.argv.slice(2)], {
		stdio: 'inherit'
	});
	process.exit(done.status ?? 1);
});
