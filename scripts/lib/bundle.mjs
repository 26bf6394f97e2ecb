// Programs that use the product's code outside the server: bundled as the product is, threads included.
import { spawnSync } from 'node:child_process';

/** Bundles a TypeScript program and runs it to its end. @returns its exit code */
export async function runBundled(entry, { nodeOptions = [], env = process.env } = {}) {
	const { build } = await import('esbuild');
	const { nodeWorker } = await import('../../tools/esbuild-node-worker.mjs');
	const outfile = `node_modules/.cache/${entry.replace(/\.ts$/, '')}.mjs`;
	await build({
		entryPoints: [entry],
		bundle: true,
		platform: 'node',
		format: 'esm',
		packages: 'external',
		plugins: [nodeWorker(['pg-native'])],
		outfile,
		sourcemap: true,
		logLevel: 'warning'
	});
	const done = spawnSync(process.execPath, [...nodeOptions, '--enable-source-maps', outfile, ...process.argv.slice(2)], {
		stdio: 'inherit',
		env
	});
	return done.status ?? 1;
}
