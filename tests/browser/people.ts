import { expect, type Browser, type Page } from '@playwright/test';
import { DEMO_PASSWORD } from '../../demo/people.mjs';

/** Waits until the page answers to mouse and keyboard. */
export const ready = (page: Page) => page.waitForSelector('[data-ready]');

/** Signs in by the sign-in page. */
export async function signIn(page: Page, name: string): Promise<void> {
	await page.goto('/sign-in');
	await fillSignIn(page, name);
}

/** Signs in by the sign-in page that is shown. */
export async function fillSignIn(page: Page, name: string): Promise<void> {
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

/** Asks the server from within a page, as the page's own requests do. */
export function ask(page: Page, path: string, body: string | object): Promise<{ status: number; text: string; message?: string }> {
	return page.evaluate(
		async ([path, body]) => {
			const response = await fetch(path!, {
				method: 'POST',
				headers: { 'content-type': 'application/json', 'x-person': document.querySelector<HTMLElement>('[data-person]')!.dataset.person! },
				body: body!
			});
			const text = await response.text();
			return { status: response.status, text, ...(text.startsWith('{') ? (JSON.parse(text) as { message?: string }) : {}) };
		},
		[path, typeof body === 'string' ? body : JSON.stringify(body)]
	);
}

export async function openForm(page: Page, code: string): Promise<void> {
	await page.goto(`/forms/${code}`);
	await ready(page);
}

/** Picks a member in a selector of the open form. */
export async function choose(page: Page, selector: string, member: string): Promise<void> {
	await page.getByRole('button', { name: `${selector}: ` }).click();
	await page.locator('[popover]:popover-open').getByRole('option', { name: member, exact: true }).click();
	await expect(page.getByRole('button', { name: `${selector}: ${member}` })).toBeVisible();
}

/** Which column of the grid a heading stands over; the grid draws columns in sight only, so it is scrolled until it is there. */
async function columnNamed(page: Page, name: string): Promise<string> {
	const find = () =>
		page
			.locator('thead th[aria-colindex]')
			.evaluateAll(
				(headings, wanted) =>
					headings.find((heading) => (heading as HTMLElement).innerText.trim().split('\n')[0] === wanted)?.getAttribute('aria-colindex') ??
					null,
				name
			);
	const scroller = page.locator('.scroller').first();
	const steps = [null, 0, 400, 800, 1_200, 1_600, 2_000];
	for (const left of steps) {
		if (left !== null) {
			await scroller.evaluate((element, to) => element.scrollTo({ left: to }), left);
			await page.waitForTimeout(60);
		}
		const found = await find();
		if (found !== null) return found;
	}
	throw new Error(`There is no column ${name}.`);
}

/** A cell of the grid by its row's and its column's heading. */
export async function cellAt(page: Page, row: string, column: string) {
	const at = await columnNamed(page, column);
	const line = page
		.locator('tbody tr')
		.filter({ has: page.locator('th', { hasText: new RegExp(`^\\s*${row.replaceAll(/[()]/g, '\\$&')}\\s*$`) }) });
	return line.locator(`td[aria-colindex="${at}"]`);
}

/** What a cell shows. Found again when the columns were just drawn anew, and the one it was found in is another now. */
async function textAt(page: Page, row: string, column: string): Promise<string> {
	for (let tries = 0; tries < 3; tries++)
		try {
			return await (await cellAt(page, row, column)).innerText({ timeout: 1_000 });
		} catch {
			await page.waitForTimeout(100);
		}
	return (await cellAt(page, row, column)).innerText();
}

/** The figure shown in a cell, as a number; undefined when it is empty. */
export async function figureAt(page: Page, row: string, column: string): Promise<number | undefined> {
	const text = await textAt(page, row, column);
	const plain = text.replace(/[,≈\s]/g, '');
	return plain === '' ? undefined : plain.endsWith('%') ? Number(plain.slice(0, -1)) / 100 : Number(plain);
}

/** Opens a group of rows when it is closed. */
export async function unfold(page: Page, ...rows: string[]): Promise<void> {
	for (const row of rows) await page.getByRole('button', { name: `Open ${row}`, exact: true }).click();
}

/** Takes back runs of the runbook on the page that changed something, the later one first, until none is left. */
export async function takeBackRuns(page: Page, count: number): Promise<void> {
	const standing = page.getByRole('listitem').getByRole('button', { name: /cells changed/ });
	await expect(standing).toHaveCount(count);
	for (let left = count - 1; left >= 0; left--) {
		await standing.first().click();
		await page.getByRole('button', { name: 'Take back this run' }).click();
		await expect(standing).toHaveCount(left);
	}
}

/** Says why closed figures move, where one is asked. */
export async function restate(page: Page, reason: string): Promise<void> {
	const question = page.getByRole('dialog').filter({ hasText: 'would move' });
	await question.getByLabel('Why').fill(reason);
	await question.getByRole('button', { name: 'Restate them' }).click();
	await expect(question).toBeHidden();
}
