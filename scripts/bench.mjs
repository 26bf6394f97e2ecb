// npm run bench: installs what is missing, bundles bench/run.ts as the product is bundled, and runs it; arguments go through.
import { spawnSync } from 'node:child_process';
import { ensureNpmPackages } from './lib/packages.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
	await ensureNpmPackages();
	const { build } = await import('esbuild');
	const { nodeWorker } = await import('../tools/esbuild-node-worker.mjs');
	const outfile = 'node_modules/.cache/bench/run.mjs';
	// Run through a loader that names every closure, formulas took twice as long as they do in the product.
	await build({
		entryPoints: ['bench/run.ts'],
		bundle: true,
		platform: 'node',
		format: 'esm',
		packages: 'external',
		plugins: [nodeWorker(['pg-native'])],
		outfile,
		sourcemap: true
	});
	const done = spawnSync(process.execPath, ['--max-old-space-size=12000', '--enable-source-maps', outfile, ...process.argv.slice(2)], {
		stdio: 'inherit'
	});
	process.exit(done.status ?? 1);
});
