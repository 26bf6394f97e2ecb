// Arrows point one way: routes → ui, server → core. The core knows nothing of the others.
const rule = (name, comment, from, to) => ({ name, comment, severity: 'error', from: { path: from, pathNot: '\\.test\\.ts$' }, to });

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
	forbidden: [
		rule(
			'core-stands-alone',
			'The core imports nothing of Svelte, Node, SQL or the page; packages only by name.',
			'^src/lib/core/(?!testing/)',
			{
				pathNot: '^src/lib/core/(?!testing/)|^node_modules/(fastest-levenshtein|ml-matrix|@lezer/(lr|common|highlight))/'
			}
		),
		rule('testing-stays-in-tests', 'What the core keeps for tests is not part of the application.', '^src/(?!lib/core/testing/)', {
			path: '^src/lib/core/testing/'
		}),
		rule('server-below-routes', 'The server knows neither pages nor components.', '^src/lib/server/', { path: '^src/(routes|lib/ui)/' }),
		// Types of answers may be imported: they vanish when compiled.
		rule('ui-without-server', 'Components hold no SQL and no business rules.', '^src/lib/ui/', {
			path: '^src/(routes|lib/server)/',
			dependencyTypesNot: ['type-only']
		}),
		// A component may show itself inside itself: trees do.
		rule('no-circle', 'Modules that need each other are one module.', '^(src/.+)', {
			circular: true,
			pathNot: '^$1$',
			viaOnly: { dependencyTypesNot: ['type-only'] }
		})
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		enhancedResolveOptions: { extensions: ['.ts', '.svelte', '.mjs', '.js'] },
		exclude: { path: '\\.svelte-kit' }
	}
};
