// npm test: sets up what a fresh machine lacks, checks formatting, lint, layers and types, and runs unit and browser
// tests on throw-away databases. The last line says `N passed, N failed`; the exit code is 1 when anything failed.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { ensureBuild } from './lib/build.mjs';
import { ensureChromium, ensureNpmPackages, ensurePostgres } from './lib/packages.mjs';
import { removeCluster } from './lib/postgres.mjs';
import { run, say } from './lib/say.mjs';

const bin = (name) => `node_modules/.bin/${name}`;
const total = { passed: 0, failed: 0 };

await run(async () => {
	await ensureNpmPackages();
	await ensurePostgres(undefined);
	await ensureChromium();
	rmSync('test-results', { recursive: true, force: true });
	mkdirSync('test-results', { recursive: true });
	// The types of routes come from here; everything after needs them.
	spawnSync(bin('svelte-kit'), ['sync'], { stdio: 'inherit' });

	check('Formatting', bin('prettier'), ['--check', '--log-level', 'warn', '.']);
	check('Lint', bin('eslint'), ['.']);
	check('Layers', bin('depcruise'), ['--config', '.dependency-cruiser.cjs', 'src', 'demo', 'bench']);
	check('Rooms', bin('depcruise'), ['--config', '.dependency-cruiser.rooms.cjs', 'src/lib/core', 'src/lib/server']);
	check('Nothing unused', bin('knip'), []);
	check('Types', bin('svelte-check'), ['--tsconfig', './tsconfig.json', '--fail-on-warnings', '--output', 'human']);

	heading('Unit tests');
	const unit = spawnSync(bin('vitest'), ['run', '--reporter=dot', '--reporter=json', '--outputFile.json=test-results/unit.json'], {
		stdio: ['ignore', 'inherit', 'inherit']
	});
	countRun(unit.status, 'test-results/unit.json', ({ numPassedTests, numFailedTests, numFailedTestSuites }) => ({
		passed: numPassedTests,
		failed: numFailedTests || numFailedTestSuites
	}));

	heading('Browser tests');
	removeCluster('.pg-browser');
	await ensureBuild();
	const browser = spawnSync(bin('playwright'), ['test'], { stdio: ['ignore', 'inherit', 'inherit'] });
	countRun(browser.status, 'test-results/browser.json', ({ stats }) => ({
		passed: stats.expected,
		failed: stats.unexpected + stats.flaky
	}));
	removeCluster('.pg-browser');

	say(`\n${total.passed} passed, ${total.failed} failed`);
	process.exit(total.failed > 0 ? 1 : 0);
});

/** One check that passes or fails as a whole. */
function check(name, command, args) {
	heading(name);
	const { status } = spawnSync(command, args, { stdio: ['ignore', 'inherit', 'inherit'] });
	if (status === 0) total.passed++;
	else total.failed++;
	say(status === 0 ? `${name}: fine` : `${name}: failed`);
}

/** Adds a runner's counts; a run that broke off without a report counts as one failure. */
function countRun(status, report, countsOf) {
	const counts = existsSync(report) ? countsOf(JSON.parse(readFileSync(report, 'utf8'))) : { passed: 0, failed: 0 };
	total.passed += counts.passed;
	total.failed += status !== 0 && counts.failed === 0 ? 1 : counts.failed;
}

function heading(text) {
	say(`\n— ${text}`);
}
