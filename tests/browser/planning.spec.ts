import { expect, test, type Page } from '@playwright/test';
import { another, cellAt, choose, figureAt, openForm, ready, signIn, unfold } from './people';

const FORM = 'route-contribution';

/** Types over a cell and waits until the server has taken it. */
async function type(page: Page, row: string, column: string, text: string): Promise<void> {
	await (await cellAt(page, row, column)).click();
	const answered = page.waitForResponse((response) => response.url().includes('/enter'));
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
	await answered;
	await expect(page.locator('td.pending')).toHaveCount(0);
}

const save = async (page: Page) => {
	await page.keyboard.press('Control+s');
	await expect(page.getByRole('status')).toContainText('Saved');
};

test('a planner spreads a total, types a leaf, saves, and a second browser sees it', async ({ page, browser }) => {
	await signIn(page, 'tove.brandal');
	const controller = await another(browser, 'osric.hale');
	await page.getByRole('link', { name: 'Forms', exact: true }).click();
	await page.getByRole('link', { name: 'Route contribution' }).first().click();
	await ready(page);
	await openForm(controller, FORM);

	// A parent: the total shows what was typed, and everything above follows before saving.
	const contribution = (await figureAt(page, 'Operating contribution', 'FY2028'))!;
	const revenue = (await figureAt(page, 'Revenue', 'Jul'))!;
	const year = (await figureAt(page, 'Revenue', 'FY2028'))!;
	const margin = (await figureAt(page, 'Contribution margin', 'Jul'))!;
	await type(page, 'Revenue', 'Jul', '6m');
	expect(await figureAt(page, 'Revenue', 'Jul')).toBe(6_000_000);
	expect(await figureAt(page, 'Revenue', 'FY2028')).toBeCloseTo(year + 6_000_000 - revenue, -1);
	expect(await figureAt(page, 'Operating contribution', 'FY2028')).toBeCloseTo(contribution + 6_000_000 - revenue, -1);
	expect(await figureAt(page, 'Contribution margin', 'Jul')).toBeGreaterThan(margin);
	await expect(page.getByRole('button', { name: /^Save \d+ changes$/ })).toBeVisible();

	// Nobody else sees a draft; a reload keeps it.
	expect(await figureAt(controller, 'Revenue', 'Jul')).toBe(revenue);
	await page.reload();
	await ready(page);
	expect(await figureAt(page, 'Revenue', 'Jul')).toBe(6_000_000);
	await unfold(page, 'Revenue', 'Ticket revenue');
	await expect(await cellAt(page, 'Foot passengers', 'Jul')).toHaveClass(/drafted/);

	// A leaf of every dimension, with a change in percent.
	await choose(page, 'Route', 'Skerrivik – Holmness');
	await choose(page, 'Department', 'Booking office');
	await choose(page, 'In', 'local currency');
	const coaches = (await figureAt(page, 'Coaches', 'May'))!;
	await type(page, 'Coaches', 'May', '+= 10%');
	expect(await figureAt(page, 'Coaches', 'May')).toBeCloseTo(coaches * 1.1, -1);

	await save(page);
	await expect(page.locator('td.drafted')).toHaveCount(0);
	await expect.poll(() => figureAt(controller, 'Revenue', 'Jul')).toBe(6_000_000);
	await controller.context().close();
});

test('the inspector tells what a cell is made of, and its history', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, FORM);
	await unfold(page, 'Revenue', 'Ticket revenue');
	await choose(page, 'Route', 'Tarrowick – Uldsound');
	await choose(page, 'Department', 'Booking office');
	await type(page, 'Freight lanes', 'Nov', '400k');
	await save(page);
	await (await cellAt(page, 'Freight lanes', 'Nov')).click();
	await page.keyboard.press('Control+i');
	const inspector = page.getByRole('complementary', { name: 'Details of the cell' });
	await expect(inspector).toContainText('400,000');
	await expect(inspector).toContainText('Tarrowick – Uldsound');
	await expect(inspector).toContainText('Nov 2027');
	await expect(inspector).toContainText('in NOK as stored');
	await expect(inspector.getByText('Set aside by it')).toBeVisible();
	await expect(inspector).toContainText('Opening figures');
	await expect(inspector).toContainText('Tove Brandal');
	await expect(inspector).toContainText('You may type here.');
	await (await cellAt(page, 'Contribution margin', 'Nov')).click();
	await expect(inspector).toContainText('"Operating contribution" / Revenue');
});

test('the keyboard alone is enough', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	await choose(page, 'Route', 'Listra – Vellen');
	await choose(page, 'Department', 'Booking office');
	await unfold(page, 'Revenue', 'Ticket revenue');
	const before = await figureAt(page, 'Foot passengers', 'Apr');
	await (await cellAt(page, 'Foot passengers', 'Apr')).focus();
	await page.keyboard.press('Control+Home');
	for (let step = 0; step < 3; step++) await page.keyboard.press('ArrowDown');
	await expect(await cellAt(page, 'Foot passengers', 'Apr')).toBeFocused();

	// Esc leaves a cell as it was; Tab takes it and goes right; F2 edits what is there; Enter goes down.
	await page.keyboard.type('1');
	await page.keyboard.press('Escape');
	expect(await figureAt(page, 'Foot passengers', 'Apr')).toBe(before);
	await page.keyboard.type('1000');
	await page.keyboard.press('Tab');
	await expect(await cellAt(page, 'Foot passengers', 'May')).toBeFocused();
	await page.keyboard.type('2000');
	await page.keyboard.press('Enter');
	await expect(await cellAt(page, 'Cars and vans', 'May')).toBeFocused();
	await page.keyboard.press('ArrowUp');
	await page.keyboard.press('F2');
	await page.keyboard.press('End');
	await page.keyboard.type('5');
	await page.keyboard.press('Enter');
	await expect.poll(() => figureAt(page, 'Foot passengers', 'May')).toBe(20_005);
	expect(await figureAt(page, 'Foot passengers', 'Apr')).toBe(1_000);

	// A block is copied and pasted; the foot line adds up what is selected.
	await (await cellAt(page, 'Foot passengers', 'Apr')).click();
	await page.keyboard.press('Shift+ArrowRight');
	await expect(page.getByText('Sum 21,005.00')).toBeVisible();
	await page.keyboard.press('Control+c');
	await (await cellAt(page, 'Coaches', 'Jun')).click();
	await page.keyboard.press('Control+v');
	await expect.poll(() => figureAt(page, 'Coaches', 'Jul')).toBe(20_005);
	expect(await figureAt(page, 'Coaches', 'Jun')).toBe(1_000);

	// Undo goes back step by step to where it began; redo comes forward again.
	await page.keyboard.press('Control+z');
	await expect.poll(() => figureAt(page, 'Coaches', 'Jul')).not.toBe(20_005);
	for (let step = 0; step < 3; step++) await page.keyboard.press('Control+z');
	await expect.poll(() => figureAt(page, 'Foot passengers', 'Apr')).toBe(before);
	await expect(page.getByRole('button', { name: /^Save/ })).toHaveCount(0);
	await page.keyboard.press('Control+y');
	await expect.poll(() => figureAt(page, 'Foot passengers', 'Apr')).toBe(1_000);
	await page.getByRole('button', { name: 'Discard' }).click();
	await expect.poll(() => figureAt(page, 'Foot passengers', 'Apr')).toBe(before);

	// Esc, then Tab leaves the grid.
	await (await cellAt(page, 'Foot passengers', 'Apr')).click();
	await page.keyboard.press('Escape');
	await page.keyboard.press('Tab');
	await expect(page.locator('td:focus')).toHaveCount(0);
});

test('after a save, undoing offers to take the save back', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	await choose(page, 'Route', 'Listra – Vellen');
	await choose(page, 'Department', 'Booking office');
	await unfold(page, 'Revenue', 'Ticket revenue');
	const before = await figureAt(page, 'Foot passengers', 'Sep');
	await (await cellAt(page, 'Foot passengers', 'Sep')).click();
	await page.keyboard.type('4321');
	await page.keyboard.press('Enter');
	await expect.poll(() => figureAt(page, 'Foot passengers', 'Sep')).toBe(4_321);
	// Saving works wherever the keyboard is.
	await page.getByRole('heading', { level: 1 }).click();
	await page.keyboard.press('Control+s');
	await expect(page.getByRole('status').filter({ hasText: 'Saved one cell' })).toBeVisible();
	await page.keyboard.press('Control+z');
	await page.getByRole('button', { name: 'Take the save back' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'One cell is as before the save' })).toBeVisible();
	await expect.poll(() => figureAt(page, 'Foot passengers', 'Sep')).toBe(before);
});

test('delete takes an entry away and the proposal shows again', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	await choose(page, 'Route', 'Listra – Vellen');
	await choose(page, 'Department', 'Booking office');
	await unfold(page, 'Revenue', 'Ticket revenue');
	const proposed = (await figureAt(page, 'Coaches', 'Dec'))!;
	await type(page, 'Coaches', 'Dec', '12345');
	await save(page);
	expect(await figureAt(page, 'Coaches', 'Dec')).toBe(12_345);
	await (await cellAt(page, 'Coaches', 'Dec')).click();
	await page.keyboard.press('Delete');
	await expect.poll(() => figureAt(page, 'Coaches', 'Dec')).toBe(proposed);
	await save(page);
	expect(await figureAt(page, 'Coaches', 'Dec')).toBe(proposed);
});

test('two people change one cell: the second one chooses', async ({ page, browser }) => {
	await signIn(page, 'imke.solberg');
	const other = await another(browser, 'osric.hale');
	for (const each of [page, other]) {
		await openForm(each, FORM);
		await choose(each, 'Line', 'Northgate Line');
		await choose(each, 'Route', 'Northgate – Saltmarrow');
		await choose(each, 'Department', 'Booking office');
		await unfold(each, 'Revenue', 'Ticket revenue');
	}
	await type(page, 'Coaches', 'Oct', '5000');
	await type(page, 'Coaches', 'Nov', '6000');
	await type(other, 'Coaches', 'Oct', '7000');
	await save(other);
	await page.keyboard.press('Control+s');
	await expect(page.getByRole('alert')).toContainText('others changed some of these cells');
	const list = page.getByRole('region', { name: 'What stands in the way of saving' });
	await expect(list).toContainText('Coaches · Oct 2027');
	await list.getByRole('button', { name: 'Take theirs' }).click();
	await list.getByRole('button', { name: 'Save as chosen' }).click();
	await expect(page.getByRole('status')).toContainText('Saved one cell');
	expect(await figureAt(page, 'Coaches', 'Oct')).toBe(7_000);
	expect(await figureAt(page, 'Coaches', 'Nov')).toBe(6_000);

	// And the other way round: mine stands.
	await type(page, 'Coaches', 'Oct', '8000');
	await type(other, 'Coaches', 'Oct', '9000');
	await save(other);
	await page.keyboard.press('Control+s');
	await list.getByRole('button', { name: 'Keep all mine' }).click();
	await expect(page.getByRole('status')).toContainText('Saved one cell');
	await expect.poll(() => figureAt(other, 'Coaches', 'Oct')).toBe(8_000);
	await other.context().close();
});

test('what is no number, or closed, is refused with a sentence and nothing is lost', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, FORM);
	await type(page, 'Fleet care', 'May', '150k');
	await type(page, 'Fleet care', 'Jun', 'plenty');
	await expect(page.getByRole('alert')).toContainText('“plenty” is not a number');
	await expect(await cellAt(page, 'Fleet care', 'Jun')).toHaveClass(/refused/);
	expect(await figureAt(page, 'Fleet care', 'May')).toBe(150_000);

	// Harbour dues are locked by the board, the final version is closed, another line is not hers.
	await unfold(page, 'Voyage costs');
	await expect(await cellAt(page, 'Harbour dues', 'May')).toHaveClass(/closed/);
	await (await cellAt(page, 'Harbour dues', 'May')).click();
	await page.keyboard.type('1');
	await expect(page.getByRole('alert').filter({ hasText: 'agreed with the ports is closed' })).toBeVisible();
	await page.keyboard.press('Control+i');
	await expect(page.getByRole('complementary')).toContainText('agreed with the ports is closed');
	await choose(page, 'Line', 'Northgate Line');
	await (await cellAt(page, 'Fuel', 'May')).click();
	await expect(page.getByRole('complementary')).toContainText('Your grant is for Skerry Line.');
	await expect(page.locator('td.enter, td.spread')).toHaveCount(0);
	await choose(page, 'Line', 'Skerry Line');
	await page.getByRole('button', { name: 'Discard' }).click();
});

test('a choice travels in the address, and Back returns to the one before', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, FORM);
	await choose(page, 'Scenario', 'Actual');
	await choose(page, 'Year', 'FY2027');
	expect(page.url()).toMatch(/d\d+=\d+&d\d+=\d+/);
	await expect(page.locator('thead')).toContainText('to Sep 2026');
	await page.goBack();
	await expect(page.getByRole('button', { name: 'Year: FY2028' })).toBeVisible();
	await page.goto('/forms/route-contribution?d1=999999&d3=abc&in=%00');
	await ready(page);
	await expect(page.getByRole('heading', { name: 'Route contribution' })).toBeVisible();
});

test('an entry that does not reach the server stays in sight, survives a reload, and is sent when the server is back', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await choose(page, 'Line', 'Amber Coast Line');
	await page.route('**/api/m/group/forms/**', (route) => route.abort());
	await (await cellAt(page, 'Fleet care', 'May')).click();
	await page.keyboard.type('123456');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('alert')).toContainText('cannot be reached. One entry waits in this browser');
	await expect(await cellAt(page, 'Fleet care', 'May')).toHaveClass(/pending/);
	expect(await figureAt(page, 'Fleet care', 'May')).toBe(123_456);
	await page.unroute('**/api/m/group/forms/**');
	await page.reload();
	await ready(page);
	await expect(page.getByRole('button', { name: /^Save/ })).toBeVisible();
	await expect(page.getByRole('alert')).toHaveCount(0);
	expect(await figureAt(page, 'Fleet care', 'May')).toBe(123_456);
	await page.getByRole('button', { name: 'Discard' }).click();
});

test('from one form to another by the finder, the other one is shown and typed into', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, FORM);
	await page.keyboard.press('Control+k');
	await page.keyboard.type('net assets');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { name: 'Net assets' })).toBeVisible();
	await expect(page.getByRole('treegrid', { name: 'Net assets' }).getByRole('rowheader', { name: 'Debt' })).toBeVisible();
	await expect(page.getByRole('rowheader', { name: 'Revenue' })).toHaveCount(0);
	await choose(page, 'Line', 'Amber Coast Line');
	await type(page, 'Debt', 'May', '26m');
	expect(await figureAt(page, 'Debt', 'May')).toBe(26_000_000);
	await page.getByRole('button', { name: 'Discard' }).click();
	await page.goBack();
});
