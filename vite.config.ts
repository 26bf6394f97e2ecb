import { sveltekit } from '@sveltejs/kit/vite';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';
import { nodeWorker } from './tools/vite-node-worker';

export default defineConfig({
	plugins: [nodeWorker(['pg-native']), tailwindcss(), sveltekit()],
	server: { host: '127.0.0.1', watch: { ignored: ['**/.pg*/**'] } },
	test: {
		environment: 'node',
		include: ['src/**/*.test.ts', 'demo/**/*.test.ts', 'tests/server/**/*.test.ts'],
		// Generous: a slow machine is no failure.
		testTimeout: 180_000,
		hookTimeout: 120_000,
		globalSetup: ['tests/database.ts']
	}
});
