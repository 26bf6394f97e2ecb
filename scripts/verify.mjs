// npm run verify: holds every cell against the journal; see scripts/verify.ts.
import { runBundled } from './lib/bundle.mjs';
import { withDatabase } from './lib/database.mjs';
import { run } from './lib/say.mjs';

await run(async () => {
	process.exitCode = await withDatabase(({ url }) => runBundled('scripts/verify.ts', { env: { ...process.env, DATABASE_URL: url } }));
});
