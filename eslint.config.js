import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

export default ts.config(
	{ ignores: ['build/', '.svelte-kit/', 'node_modules/', '.pg*/', '.state/', 'test-results/'] },
	js.configs.recommended,
	...ts.configs.strict,
	...svelte.configs.recommended,
	{ languageOptions: { globals: { ...globals.node, ...globals.browser } } },
	{ files: ['**/*.svelte', '**/*.svelte.ts'], languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'] } } },
	{
		rules: {
			// An index into a typed array or a list just measured is known to be there.
			'@typescript-eslint/no-non-null-assertion': 'off',
			'@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
			// Paths of this application are plain; it is always served at the root.
			'svelte/no-navigation-without-resolve': 'off',
			// Sets and maps here are replaced as a whole, never changed in place.
			'svelte/prefer-svelte-reactivity': 'off',
			eqeqeq: 'error'
		}
	},
	// NaN stands for empty, and comparing a value with itself is the quickest test for it.
	{ files: ['src/lib/core/**', 'src/lib/server/**'], rules: { 'no-self-compare': 'off' } }
);
