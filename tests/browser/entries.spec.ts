import { expect, test, type BrowserContext, type Page } from '@playwright/test';
import { cellAt, choose, figureAt, fillSignIn, openForm, ready, signIn } from './people';

/** Entries must not get lost, doubled, or land under another name: answers that are lost, two tabs, two people in a browser. */
const FORM = 'route-contribution';

async function type(page: Page, row: string, column: string, text: string): Promise<void> {
	await (await cellAt(page, row, column)).click();
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
}
/** A form in another tab of the same browser. */
async function tabOf(context: BrowserContext, address: string): Promise<Page> {
	const tab = await context.newPage();
	await tab.goto(address);
	await ready(tab);
	return tab;
}
async function signInAs(page: Page, name: string): Promise<void> {
	await page.getByRole('button', { name: 'Sign out' }).click();
	await page.waitForURL('**/sign-in');
	await fillSignIn(page, name);
}

test('an entry whose answer is lost counts once', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	const before = (await figureAt(page, 'Fleet care', 'May'))!;
	let lost = 0;
	await page.route('**/enter', async (route) => {
		if (lost++ > 0) return route.continue();
		// The server takes it; its answer never arrives.
		await route.fetch();
		await route.abort();
	});
	await type(page, 'Fleet care', 'May', '+= 500');
	await expect(page.getByRole('button', { name: /^Save (one|[\d,]+) / })).toBeVisible();
	await expect(page.getByRole('alert')).toHaveCount(0);
	await expect.poll(() => figureAt(page, 'Fleet care', 'May')).toBe(before + 500);
	await page.reload();
	await ready(page);
	expect(await figureAt(page, 'Fleet care', 'May')).toBe(before + 500);
	await page.getByRole('button', { name: 'Discard' }).click();
	await expect(page.getByRole('button', { name: /^Save (one|[\d,]+) / })).toHaveCount(0);
});

test('what waits stays in its tab: another one neither sends nor empties it', async ({ page, context }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	const before = (await figureAt(page, 'Fleet care', 'Jun'))!;
	await page.route('**/enter', (route) => route.abort());
	await type(page, 'Fleet care', 'Jun', '+= 500');
	await expect(page.getByRole('alert')).toContainText('One entry waits in this browser');
	const second = await tabOf(context, page.url());
	expect(await figureAt(second, 'Fleet care', 'Jun')).toBe(before);
	await second.close();
	await expect(page.getByRole('alert')).toContainText('One entry waits in this browser');
	await page.unroute('**/enter');
	await expect.poll(() => figureAt(page, 'Fleet care', 'Jun')).toBe(before + 500);
	await page.getByRole('button', { name: 'Discard' }).click();
});

test('what a closed tab left is sent by the next one', async ({ page, context }) => {
	await signIn(page, 'lidia.marne');
	const first = await tabOf(context, `/forms/${FORM}`);
	await choose(first, 'Line', 'Amber Coast Line');
	const before = (await figureAt(first, 'Fleet care', 'Jul'))!;
	await first.route('**/enter', (route) => route.abort());
	await type(first, 'Fleet care', 'Jul', '+= 500');
	await expect(first.getByRole('alert')).toContainText('One entry waits in this browser');
	const address = first.url();
	await first.close({ runBeforeUnload: false });
	const next = await tabOf(context, address);
	await expect.poll(() => figureAt(next, 'Fleet care', 'Jul')).toBe(before + 500);
	await next.getByRole('button', { name: 'Discard' }).click();
	await expect(next.getByRole('button', { name: /^Save (one|[\d,]+) / })).toHaveCount(0);
});

test('of two people in one browser nobody types under the other’s name', async ({ page, context }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	const before = (await figureAt(page, 'Fleet care', 'Aug'))!;
	const other = await tabOf(context, '/desk');
	await signInAs(other, 'osric.hale');
	await type(page, 'Fleet care', 'Aug', '+= 500');
	await expect(page.getByRole('alert').first()).toContainText('Someone else has signed in in this browser. One entry of yours waits');
	await other.goto(page.url());
	await ready(other);
	expect(await figureAt(other, 'Fleet care', 'Aug')).toBe(before);
	await expect(other.getByRole('button', { name: /^Save (one|[\d,]+) / })).toHaveCount(0);
	// Saving does not go through either.
	await page.keyboard.press('Control+s');
	await signInAs(other, 'lidia.marne');
	await expect.poll(() => figureAt(page, 'Fleet care', 'Aug'), { timeout: 15_000 }).toBe(before + 500);
	await expect(page.getByRole('alert')).toHaveCount(0);
	await page.getByRole('button', { name: 'Discard' }).click();
	await expect(page.getByRole('button', { name: /^Save (one|[\d,]+) / })).toHaveCount(0);
});

test('a tab stays in its model when another one goes to the next', async ({ page, context }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	const before = (await figureAt(page, 'Fleet care', 'Sep'))!;
	const other = await tabOf(context, '/m/crew/desk');
	await expect(other.getByLabel('Model', { exact: true })).toHaveValue('crew');
	await type(page, 'Fleet care', 'Sep', '+= 500');
	await expect.poll(() => figureAt(page, 'Fleet care', 'Sep')).toBe(before + 500);
	await page.reload();
	await ready(page);
	expect(await figureAt(page, 'Fleet care', 'Sep')).toBe(before + 500);
	await page.getByRole('button', { name: 'Discard' }).click();
	await expect(page.getByRole('button', { name: /^Save (one|[\d,]+) / })).toHaveCount(0);
	// Old addresses lead to the model one was in last; one that is none is said.
	await other.goto('/forms');
	await expect(other).toHaveURL(/\/m\/(crew|group)\/forms$/);
	expect((await other.goto('/m/no-such/desk'))!.status()).toBe(404);
});

test('the rest of a draft is named, saved with it when asked, and what is discarded comes back', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, 'net-assets');
	await choose(page, 'Line', 'Amber Coast Line');
	await type(page, 'Debt', 'May', '26m');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	await expect(page.getByText(/entr(y|ies) in Net assets\s+stays? in your draft\./)).toBeVisible();
	const before = (await figureAt(page, 'Fleet care', 'Oct'))!;
	await type(page, 'Fleet care', 'Oct', '+= 500');
	await page.getByRole('button', { name: 'Discard' }).click();
	await expect.poll(() => figureAt(page, 'Fleet care', 'Oct')).toBe(before);
	await expect(page.getByText(/entr(y|ies) in Net assets/)).toBeVisible();
	await page.getByRole('button', { name: 'Bring it back' }).click();
	await expect.poll(() => figureAt(page, 'Fleet care', 'Oct')).toBe(before + 500);
	await page.getByRole('button', { name: 'Save all' }).click();
	await expect(page.getByText(/^Saved \d+ cells as revision/)).toBeVisible();
	await expect(page.getByText(/entr(y|ies) in Net assets/)).toHaveCount(0);
	await page.getByRole('button', { name: 'Take the save back' }).click();
	await expect(page.getByText(/as before the save/)).toBeVisible();
	expect(await figureAt(page, 'Fleet care', 'Oct')).toBe(before);
});

test('choices: months of the form’s year first, emptied is empty above what was loaded, Delete brings that back', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await page.goto('/m/crew/forms/crew-posts');
	await ready(page);
	const shown = async () => (await cellAt(page, 'Chief mate', 'Bonus month')).innerText();
	const loaded = await shown();
	expect(loaded).toMatch(/^\w{3} \d{4}$/);
	await type(page, 'Chief mate', 'Bonus month', 'jun');
	await expect.poll(shown).toBe('Jun 2027');
	const cell = await cellAt(page, 'Chief mate', 'Bonus month');
	await cell.click();
	await page.keyboard.press('F2');
	await page.keyboard.press('Control+a');
	await page.keyboard.press('Backspace');
	await page.keyboard.press('Enter');
	await expect.poll(shown).toBe('');
	await page.getByRole('button', { name: /^Save (one|[\d,]+) / }).click();
	await expect(page.getByText(/^Saved one cell/)).toBeVisible();
	await page.reload();
	await ready(page);
	expect(await shown()).toBe('');
	await (await cellAt(page, 'Chief mate', 'Bonus month')).click();
	await page.keyboard.press('Delete');
	await expect.poll(shown).toBe(loaded);
	await type(page, 'Chief mate', 'Bonus month', 'jun 2024');
	await expect(page.getByText('Jun 2024 lies outside Budget FY2028, which speaks about Apr 2027 to Mar 2028.')).toBeVisible();
	await page.getByRole('button', { name: 'Discard' }).click();
});
