import { expect, type Browser, type Page } from '@playwright/test';
import { DEMO_PASSWORD } from '../../demo/people.mjs';

/** Waits until the page answers to mouse and keyboard. */
export const ready = (page: Page) => page.waitForSelector('[data-ready]');

/** Signs in by the sign-in page. */
export async function signIn(page: Page, name: string): Promise<void> {
	await page.goto('/sign-in');
	await ready(page);
	await page.getByLabel('E-mail address').fill(`${name}@brinewater.example`);
	await page.getByLabel('Password').fill(DEMO_PASSWORD);
	await page.getByRole('button', { name: 'Sign in' }).click();
	await page.waitForURL('**/desk');
	await ready(page);
}

/** A second person in a browser of their own. */
export async function another(browser: Browser, name: string): Promise<Page> {
	const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
	const page = await context.newPage();
	await signIn(page, name);
	return page;
}

export async function openForm(page: Page, code: string): Promise<void> {
	await page.goto(`/forms/${code}`);
	await ready(page);
}

/** Picks a member in a selector of the open form. */
export async function choose(page: Page, selector: string, member: string): Promise<void> {
	await page.getByRole('button', { name: `${selector}: ` }).click();
	await page.locator('[popover]:popover-open').getByRole('option', { name: member, exact: true }).getByRole('button').click();
	await expect(page.getByRole('button', { name: `${selector}: ${member}` })).toBeVisible();
}

/** A cell of the grid by its row's and its column's heading. */
export async function cellAt(page: Page, row: string, column: string) {
	const headings = await page.locator('thead tr').last().locator('th').allInnerTexts();
	const at = headings.findIndex((heading) => heading.trim().split('\n')[0] === column);
	expect(at, `column ${column}`).toBeGreaterThan(0);
	const line = page.locator('tbody tr').filter({ has: page.locator('th', { hasText: new RegExp(`^\\s*${row}\\s*$`) }) });
	return line.locator('td').nth(at - 1);
}

/** The figure shown in a cell, as a number; undefined when it is empty. */
export async function figureAt(page: Page, row: string, column: string): Promise<number | undefined> {
	const text = await (await cellAt(page, row, column)).locator('.figure').innerText();
	const plain = text.replace(/[,≈\s]/g, '');
	return plain === '' ? undefined : plain.endsWith('%') ? Number(plain.slice(0, -1)) / 100 : Number(plain);
}

/** Opens a group of rows when it is closed. */
export async function unfold(page: Page, ...rows: string[]): Promise<void> {
	for (const row of rows) await page.getByRole('button', { name: `Open ${row}`, exact: true }).click();
}
