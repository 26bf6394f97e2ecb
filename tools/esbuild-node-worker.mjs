// The same as vite-node-worker.ts for programs bundled by esbuild: `import create from './x.ts?nodeworker'` becomes a
// function that starts a worker_threads Worker from one string of code.
import { build } from 'esbuild';
import { resolve } from 'node:path';

export const nodeWorker = (external = []) => ({
	name: 'node-worker',
	setup(bundle) {
		bundle.onResolve({ filter: /\?nodeworker$/ }, ({ path, resolveDir }) => ({
			path: resolve(resolveDir, path.replace(/\?nodeworker$/, '')),
			namespace: 'node-worker'
		}));
		bundle.onLoad({ filter: /.*/, namespace: 'node-worker' }, async ({ path }) => {
			const out = await build({
				entryPoints: [path],
				bundle: true,
				write: false,
				platform: 'node',
				target: 'node20',
				format: 'cjs',
				external,
				logLevel: 'warning'
			});
			const contents = `import { Worker } from 'node:worker_threads';
const code = ${JSON.stringify(out.outputFiles[0].text)};
export default (options = {}) => new Worker(code, { ...options, eval: true });`;
			return { contents, loader: 'js' };
		});
	}
});
