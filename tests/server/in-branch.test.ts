import { readdirSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';
import { showsBranch } from '../../src/lib/server/gate/routes';
import { staysInBranch } from '../../src/lib/ui/branch/in-branch';

const APP = 'src/routes/m/[model]/(app)';

test('a link stays in the branch exactly where the page shows it', () => {
	const pages = readdirSync(APP, { withFileTypes: true, recursive: true })
		.filter(({ name }) => name === '+page.svelte')
		.map(({ parentPath }) => join(parentPath).slice(APP.length));
	expect(pages.length).toBeGreaterThan(30);
	for (const page of pages) {
		const path = page.replaceAll(/\[\[?[^\]]+\]\]?/g, '12');
		expect(staysInBranch(path), page).toBe(showsBranch(`/m/[model]/(app)${page}`));
	}
	expect(staysInBranch('/trace?members=1.2&period=3')).toBe(true);
});
