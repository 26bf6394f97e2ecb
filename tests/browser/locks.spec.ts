import { expect, test, type Page } from '@playwright/test';
import { violations } from './axe';
import { another, ready, signIn } from './people';

const cell = (page: Page, name: RegExp) => page.getByRole('gridcell', { name });
/** Opens the lock board at the budget of the year that is planned. */
async function openBoard(page: Page): Promise<void> {
	await page.goto('/m/group/access/locks');
	await ready(page);
	await page.getByLabel('Scenario', { exact: true }).selectOption('Budget FY2028');
	await expect(cell(page, /^Northgate Line, FY2028: open/)).toBeVisible();
}

test('a controller closes a line but for a department, sees it in the grid as the legend says, and takes it back', async ({
	page,
	browser
}) => {
	await signIn(page, 'osric.hale');
	await openBoard(page);
	expect(await violations(page)).toEqual([]);

	// A department is held for the controller, by keyboard.
	await cell(page, /^Booking office, FY2028/)
		.first()
		.click();
	await page.keyboard.press('h');
	await expect(page.getByRole('status').filter({ hasText: 'One slice is held now.' })).toBeVisible();
	await expect(cell(page, /^Booking office, FY2028: held, set here/)).toBeVisible();
	await expect(page.getByRole('complementary', { name: 'Slice' })).toContainText('Osric Hale');

	// What is above it asks before it goes; it stays, and is counted.
	await cell(page, /^Northgate Line, FY2028/).click();
	await page.keyboard.press('c');
	const asks = page.getByRole('region', { name: 'What is set beneath' });
	await expect(asks).toContainText('One slice beneath is set otherwise');
	await asks.getByRole('button', { name: 'Set it to closed' }).click();
	await expect(cell(page, /^Northgate Line, FY2028: closed, set here, 1 differ beneath/)).toBeVisible();
	await expect(cell(page, /^Deck crew, FY2028: closed, from above/).first()).toBeVisible();

	// The planner sees it in the form, and is told by whom.
	const imke = await another(browser, 'imke.solberg');
	await imke.goto('/m/group/forms/crew-and-terminal-pay');
	await ready(imke);
	for (const [selector, member] of [
		[/^Line:/, 'Northgate Line'],
		[/^Department:/, 'Deck crew']
	] as const) {
		await imke.getByRole('button', { name: selector }).click();
		await imke.getByRole('option', { name: member }).first().click();
		await expect(imke.getByRole('button', { name: selector })).toContainText(member);
	}
	const closed = imke.getByRole('gridcell').and(imke.locator('.figure.closed')).first();
	await expect(closed).toBeVisible();
	await closed.click();
	await imke.keyboard.type('5');
	await expect(imke.getByRole('alert')).toContainText(/is closed by Osric Hale since/);
	await imke.keyboard.press('Escape');

	// Taken back by one key, it is open again for everybody.
	await page.getByRole('treegrid', { name: 'Lock board' }).focus();
	await page.keyboard.press('Control+z');
	await expect(cell(page, /^Northgate Line, FY2028: open, from above, 1 differ beneath/)).toBeVisible();
	await page.keyboard.press('Control+z');
	await expect(cell(page, /^Northgate Line, FY2028: open, from above$/)).toBeVisible();
	await expect(imke.getByRole('gridcell').and(imke.locator('.figure:is(.enter, .spread)')).first()).toBeVisible();

	// It stands in the history.
	await page.getByRole('link', { name: 'History' }).click();
	await expect(page.getByRole('list', { name: 'History of locks' })).toContainText('Budget FY2028, Northgate Line, FY2028: closed');
	expect(await violations(page)).toEqual([]);
});

test('of a selection a block is pasted, somebody else’s change is not written over, and a table goes out and in', async ({
	page,
	browser
}) => {
	await signIn(page, 'osric.hale');
	await openBoard(page);
	const maren = await another(browser, 'maren.kvist');
	await openBoard(maren);
	await cell(maren, /^Skerry Line, FY2028/).click();
	await maren.keyboard.press('c');
	await expect(cell(maren, /^Skerry Line, FY2028: closed, set here/)).toBeVisible();
	// Here it still shows as it was: it is refused, and shown as it is.
	await cell(page, /^Skerry Line, FY2028/).click();
	await page.keyboard.press('h');
	await expect(page.getByRole('alert')).toContainText('Somebody else has set a part of this meanwhile');
	await expect(cell(page, /^Skerry Line, FY2028: closed, set here/)).toBeVisible();
	await page.keyboard.press('Delete');
	await expect(cell(page, /^Skerry Line, FY2028: open/)).toBeVisible();

	await page.getByRole('button', { name: 'What drives it' }).click();
	await page.getByRole('button', { name: 'Bring a table in' }).click();
	await page.getByLabel('Table of states').fill('Scenario,Line,State,Reason\nBUD28,AMB,closed,agreed\nBUD28,nowhere,closed,');
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	await expect(page.getByText('1 set, 0 as above, 0 as they are, 1 that cannot be')).toBeVisible();
	await page.getByLabel('Table of states').fill('Scenario,Line,State,Reason\nBUD28,AMB,closed,agreed');
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	await page.getByRole('button', { name: 'Bring them in' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Brought in: 1 set' })).toBeVisible();
	await page.getByRole('link', { name: 'History' }).click();
	await page.getByRole('button', { name: 'Take it back' }).first().click();
	await expect(page.getByText('taken back').first()).toBeVisible();
});

test('a month is closed after a look at what is open, and opened again with a reason', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/access/locks?layer=period+close');
	await ready(page);
	await expect(page.getByRole('heading', { name: 'Before Sep 2026 is closed' })).toBeVisible();
	await expect(page.getByText(/No rows are left out|Rows that were left out/)).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Close Sep 2026' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Actual is closed up to Sep 2026.' })).toBeVisible();
	await page.getByLabel('Reason', { exact: true }).fill('a late invoice');
	await page.getByRole('button', { name: 'Open it again' }).click();
	await expect(page.getByText('Actual is closed up to Aug 2026.')).toBeVisible();
});
