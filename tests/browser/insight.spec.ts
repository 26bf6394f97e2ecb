import { expect, test, type Locator, type Page } from '@playwright/test';
import { violations } from './axe';
import { another, choose, ready, signIn } from './people';

const tile = (page: Page, name: string): Locator => page.locator(`[id^="tile-"][aria-label="${name}"]`);
const boardName = () => `Skerry at noon ${Date.now() % 1_000_000}`;
/** The large figure of a tile, as it is written. */
const figureOf = (page: Page, name: string) => tile(page, name).locator('p').first();

test('a board from nothing, by mouse and keyboard: planned on, asked why, shared with somebody who sees less', async ({
	page,
	browser
}) => {
	await signIn(page, 'tove.brandal');
	await page.goto('/m/group/insight');
	await ready(page);
	const name = boardName();
	await page.getByRole('button', { name: 'Make a board' }).click();
	await page.getByLabel('Name', { exact: true }).fill(name);
	await page.getByRole('button', { name: 'Begin empty' }).click();
	await page.waitForURL(/insight\/boards\/\d+/);
	await ready(page);

	// What is chosen, and a tile by mouse.
	await page.getByRole('button', { name: 'Arrange' }).click();
	for (const dimension of ['Line', 'Scenario', 'Period']) await page.getByRole('checkbox', { name: dimension }).check();
	await page.getByRole('button', { name: 'Add a tile' }).click();
	await page.getByLabel('Title', { exact: true }).fill('Result');
	await expect(tile(page, 'Result')).toBeVisible();
	await page.getByRole('button', { name: 'Done' }).click();
	// A form to type in.
	await page.getByRole('button', { name: 'Add a tile' }).click();
	await page.getByLabel('Title', { exact: true }).fill('Typing');
	await page.getByLabel('Shows', { exact: true }).selectOption('Form to type in');
	await page.getByLabel('Form', { exact: true }).selectOption('Route contribution');
	for (let press = 0; press < 8; press++) await page.getByRole('button', { name: 'Wider' }).click();
	for (let press = 0; press < 3; press++) await page.getByRole('button', { name: 'Higher' }).click();
	await page.getByRole('button', { name: 'Done' }).click();
	// A chart, moved to the front by the keyboard alone.
	await page.getByRole('button', { name: 'Add a tile' }).click();
	await page.getByLabel('Title', { exact: true }).fill('By month');
	await page.getByLabel('Shows', { exact: true }).selectOption('Chart');
	await page.getByRole('button', { name: 'Done' }).click();
	const grip = page.getByRole('button', { name: /^Move By month/ });
	await grip.focus();
	await page.keyboard.press('ArrowLeft');
	await expect(page.locator('main [id^="tile-"]').nth(1)).toHaveAccessibleName('By month');
	await page.keyboard.press('Shift+ArrowRight');
	await page.getByRole('checkbox', { name: 'Everybody in the model sees it' }).check();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Keep the board' }).click();
	await expect(page.getByRole('button', { name: 'Arrange' })).toBeVisible();
	await page.reload();
	await ready(page);
	await expect(page.locator('main [id^="tile-"]').nth(1)).toHaveAccessibleName('By month');
	expect(await violations(page)).toEqual([]);

	// Where it stands is in the address; what is typed shows in the other tiles before it is saved.
	for (const [chip, member] of [
		['Line', 'Skerry Line'],
		['Scenario', 'Budget FY2028'],
		['Year', 'FY2028']
	] as const)
		await choose(page, chip, member);
	expect(page.url()).toMatch(/d\d+=\d+/);
	const before = await figureOf(page, 'Result').innerText();
	const grid = tile(page, 'Typing').getByRole('treegrid');
	await grid.locator('tbody tr').filter({ hasText: 'Revenue' }).first().locator('td').first().click();
	await page.keyboard.type('5000000');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('button', { name: /^Save \d+ changes|^Save one change/ })).toBeVisible();
	await expect(tile(page, 'Result')).toContainText('with what is unsaved');
	await expect(figureOf(page, 'Result')).not.toHaveText(before);
	// A reload in the middle loses nothing.
	await page.reload();
	await ready(page);
	await expect(tile(page, 'Result')).toContainText('with what is unsaved');
	await page.getByRole('button', { name: 'Discard', exact: true }).click();
	await expect(figureOf(page, 'Result')).toHaveText(before);

	// The chart as a table.
	await page.getByRole('button', { name: 'What can be done with By month' }).click();
	await page.getByRole('button', { name: 'As a table' }).click();
	await expect(tile(page, 'By month').getByRole('table')).toBeVisible();

	// Somebody else finds it, may look and copy, and not change.
	const imke = await another(browser, 'imke.solberg');
	await imke.goto('/m/group/insight');
	await ready(imke);
	await imke.getByRole('link', { name }).click();
	await ready(imke);
	await expect(tile(imke, 'Result')).toBeVisible();
	await expect(imke.getByRole('button', { name: 'Arrange' })).toHaveCount(0);
	await imke.getByRole('button', { name: 'Comments' }).click();
	await imke.getByLabel('To', { exact: true }).selectOption('Result');
	await imke.getByLabel('What you say').fill('Is the winter in?');
	await imke.getByRole('button', { name: 'Say it' }).click();
	await expect(imke.getByText('It showed then:')).toBeVisible();
	await imke.context().close();
});

test('why the result differs, in three clicks, down to a figure one can explore', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/insight');
	await ready(page);
	await page.getByRole('link', { name: 'Group, in the morning' }).click();
	await ready(page);
	await tile(page, 'What leads there')
		.getByRole('button', { name: /Revenue/ })
		.click();
	await page.waitForURL(/insight\/why/);
	await ready(page);
	await expect(page.getByRole('heading', { name: /Why Operating contribution differs/ })).toBeVisible();
	await page.getByRole('group', { name: 'Taken apart by' }).getByRole('button', { name: 'Line', exact: true }).click();
	await page.waitForURL(/by=/);
	await expect(page.getByRole('rowheader', { name: 'Skerry Line' })).toBeVisible();
	await page.getByRole('group', { name: 'Taken apart by' }).getByRole('button', { name: 'Department', exact: true }).click();
	await page.getByRole('rowheader', { name: 'Ashore' }).getByRole('button').click();
	await page.waitForURL(/c\d+=/);
	await expect(page.getByRole('button', { name: 'All of it' })).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('link', { name: 'Explore the figure' }).click();
	await page.waitForURL(/insight\/explore\/view\./);
	await ready(page);
	await expect(page.getByRole('treegrid')).toContainText('Operating contribution');
});

test('a view is turned by its chips, drilled into, sorted, kept and opened by its link', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/insight/explore');
	await page.waitForURL(/insight\/explore\/view\./);
	await ready(page);
	const grid = page.getByRole('treegrid');
	await expect(grid).toContainText('Operating contribution');
	// The lines come across, by keyboard.
	await page.getByRole('button', { name: /^Line:/ }).focus();
	await page.keyboard.press('Enter');
	const panel = page.getByRole('group', { name: 'Line', exact: true });
	await panel.getByRole('button', { name: 'Down', exact: true }).press('Enter');
	await expect(page.getByRole('list', { name: 'Dimensions down' })).toContainText('Line');
	await panel.getByRole('button', { name: 'Done' }).click();
	await page.getByRole('button', { name: 'Turn back' }).click();
	await expect(page.getByRole('list', { name: 'Dimensions down' })).not.toContainText('Line');
	// Another scenario beside, in two clicks.
	await page.getByRole('button', { name: 'Shape' }).click();
	await page.getByLabel('Another scenario beside the columns').selectOption('Budget FY2027');
	await expect(page.getByRole('list', { name: 'Dimensions across' })).toContainText('Scenario');
	const columns = () => grid.getAttribute('aria-colcount').then(Number);
	await expect.poll(columns).toBeGreaterThan(30);
	await page.getByRole('button', { name: 'Nothing beside them' }).click();
	await expect.poll(columns).toBeLessThan(16);
	await expect(page.getByRole('list', { name: 'Dimensions across' })).not.toContainText('Scenario');
	await page.keyboard.press('Escape');
	// Into a row.
	await grid.locator('tbody tr').filter({ hasText: 'Revenue' }).first().locator('td').first().click();
	await page.keyboard.press('Shift+F10');
	await page.getByRole('menuitem', { name: 'Into Revenue' }).click();
	await expect(grid).not.toContainText('Voyage costs');
	await expect(grid).toContainText('Onboard revenue');
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Keep this view' }).click();
	await page.getByLabel('Name', { exact: true }).fill('Revenue at noon');
	await page.getByRole('button', { name: 'Keep it' }).click();
	await expect(page.getByRole('heading', { name: 'Revenue at noon' })).toBeVisible();
	const address = page.url();
	await page.goto('/m/group/insight');
	await ready(page);
	await page.getByRole('link', { name: 'Revenue at noon' }).click();
	await expect(page).toHaveURL(address);
});

test('the journal leads to the figure, the search to a figure by its words', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/insight/journal');
	await ready(page);
	await page.getByRole('button', { name: 'Single entries' }).click();
	await page.waitForURL(/of=entries/);
	await page.getByRole('table', { name: 'Changes' }).getByRole('link').first().click();
	await page.waitForURL(/insight\/explore\/view\./);
	await ready(page);
	await page.keyboard.press('Control+k');
	await page.getByLabel('What to find').fill('fuel skerry may');
	await expect(page.getByRole('option', { name: /Figure.*Fuel.*Skerry Line.*May/ })).toBeVisible();
	await page.getByRole('option', { name: /Figure.*Fuel.*Skerry Line.*May/ }).click();
	await page.waitForURL(/insight\/explore\/view\./);
	await expect(page.getByRole('button', { name: 'Line: Skerry Line' })).toBeVisible();
});

test('a board is sent as PDF, comes among one’s messages, and is one', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/insight');
	await ready(page);
	await page.getByRole('link', { name: 'Group, in the morning' }).first().click();
	await page.waitForURL(/insight\/boards\/\d+/);
	await ready(page);
	await page.getByRole('button', { name: 'More' }).click();
	await page.getByRole('button', { name: 'Send as PDF…' }).click();
	const panel = page.getByRole('complementary', { name: 'Send as PDF' });
	await panel.getByLabel('Add somebody').selectOption('Osric Hale');
	await panel.getByRole('button', { name: 'Send it now' }).click();
	await expect(panel.getByRole('status')).toHaveText('Sent to one person.', { timeout: 60_000 });
	expect(await violations(page)).toEqual([]);
	// Printed it is on paper, also for who works at night.
	await page.getByRole('button', { name: 'Use the night theme' }).click();
	await expect(page.locator('html')).toHaveAttribute('data-theme', 'night');
	await page.goto(page.url().replace('/insight/boards/', '/print/boards/'));
	await expect(page.getByRole('heading', { name: 'Group, in the morning: Result' })).toBeVisible();
	await expect(page.locator('html')).toHaveAttribute('data-theme', 'paper');
	await page.goto('/m/group/cycle/messages');
	await ready(page);
	await page.getByRole('button', { name: 'Use the paper theme' }).click();
	const [file] = await Promise.all([
		page.waitForEvent('download'),
		page.getByRole('link', { name: 'Group, in the morning.pdf' }).first().click()
	]);
	const stream = await file.createReadStream();
	const bytes: Buffer[] = [];
	for await (const chunk of stream) bytes.push(chunk as Buffer);
	expect(Buffer.concat(bytes).subarray(0, 5).toString()).toBe('%PDF-');
});
