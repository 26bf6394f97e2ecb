import { defineConfig } from '@playwright/test';
import { chromiumOptions } from './scripts/lib/chromium.mjs';

const port = Number(process.env.BROWSER_TEST_PORT ?? 4199);

export default defineConfig({
	testDir: 'tests/browser',
	workers: 1,
	// Limits, no waits: a machine at work may take its time.
	timeout: 240_000,
	expect: { timeout: 25_000 },
	reporter: [['list'], ['json', { outputFile: 'test-results/browser.json' }]],
	outputDir: 'test-results/browser',
	use: {
		baseURL: `http://127.0.0.1:${port}`,
		viewport: { width: 1280, height: 800 },
		permissions: ['clipboard-read', 'clipboard-write'],
		launchOptions: chromiumOptions
	},
	webServer: {
		command: 'exec node scripts/start.mjs',
		url: `http://127.0.0.1:${port}/readyz`,
		timeout: 180_000,
		env: { HOST: '127.0.0.1', PORT: String(port), ORIGIN: `http://127.0.0.1:${port}`, PG_DIR: '.pg-browser', PG_THROW_AWAY: '1' },
		gracefulShutdown: { signal: 'SIGTERM', timeout: 10_000 },
		stdout: 'ignore',
		stderr: 'pipe'
	}
});
