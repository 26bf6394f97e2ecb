// npm run bench: installs what is missing, bundles bench/run.ts as the product is bundled, and runs it; arguments go through.
// Run through a loader that names every closure, formulas took twice as long as they do in the product.
import { runBundled } from './lib/bundle.mjs';
import { ensureNpmPackages } from './lib/packages.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
	await ensureNpmPackages();
	process.exit(await runBundled('bench/run.ts', { nodeOptions: ['--max-old-space-size=12000'] }));
});
