// Rooms (folders) of the core, and of the server, that need each other are one room, types included: what both speak of
// belongs into a third (`core/cell`, `server/definition`).
/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
	forbidden: [
		{
			name: 'no-circle-of-rooms',
			severity: 'error',
			scope: 'folder',
			from: { path: '^src/lib/(core|server)/[^/]+$' },
			to: { circular: true, path: '^src/lib/(core|server)/[^/]+$' }
		}
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		// The list of subjects is the one place that knows all of them.
		exclude: { path: '\\.test\\.ts$|^src/lib/core/testing/|^src/lib/core/index\\.ts$|^src/lib/server/subjects\\.ts$|node_modules' }
	}
};
