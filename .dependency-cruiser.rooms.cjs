// Rooms (folders) of the core that need each other are one room, types included: what both speak of belongs into a third.
/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
	forbidden: [
		{ name: 'no-circle-of-rooms', severity: 'error', scope: 'folder', from: { path: '^src/lib/core/[^/]+$' }, to: { circular: true } }
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		exclude: { path: '\\.test\\.ts$|^src/lib/core/testing/|^src/lib/core/index\\.ts$|node_modules' }
	}
};
