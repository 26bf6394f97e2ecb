// npm run chaos -- --kills 100: kills server and database at random while people work, and compares what was acknowledged.
import { runBundled } from './lib/bundle.mjs';
import { ensureBuild } from './lib/build.mjs';
import { ensureNpmPackages } from './lib/packages.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
	await ensureNpmPackages();
	await ensureBuild();
	process.exitCode = await runBundled('scripts/chaos.ts');
});
