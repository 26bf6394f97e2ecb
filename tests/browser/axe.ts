import { readFileSync } from 'node:fs';
import type { Page } from '@playwright/test';

const axe = readFileSync('node_modules/axe-core/axe.min.js', 'utf8');

/** What axe finds, as rule and places. */
export async function violations(page: Page): Promise<string[]> {
	await page.evaluate(() => document.fonts.ready);
	await page.evaluate(axe);
	return page.evaluate(async () => {
		const found = await (
			window as unknown as { axe: { run: () => Promise<{ violations: { id: string; nodes: { target: string[] }[] }[] }> } }
		).axe.run();
		return found.violations.map(
			({ id, nodes }) =>
				`${id}: ${nodes
					.slice(0, 3)
					.map(({ target }) => target.join(' '))
					.join(', ')}`
		);
	});
}
