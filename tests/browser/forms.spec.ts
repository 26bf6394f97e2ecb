import ExcelJS from 'exceljs';
import { expect, test, type Page } from '@playwright/test';
import { another, cellAt, choose, figureAt, openForm, ready, signIn } from './people';

/** Types over a cell and waits until the server has taken it. */
async function type(page: Page, row: string, column: string, text: string): Promise<void> {
	await (await cellAt(page, row, column)).click();
	const answered = page.waitForResponse((response) => response.url().endsWith('/enter'));
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
	await answered;
	await expect(page.locator('td.pending')).toHaveCount(0);
}

/** Puts a text on the clipboard and pastes it at a cell. */
async function paste(page: Page, row: string, column: string, text: string): Promise<void> {
	await (await cellAt(page, row, column)).click();
	await page.locator('td.focused').evaluate((cell, pasted) => {
		const data = new DataTransfer();
		data.setData('text/plain', pasted);
		cell.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }));
	}, text);
}

const inspector = (page: Page) => page.getByRole('complementary', { name: 'What is picked' });
const discard = (page: Page) => page.getByRole('button', { name: 'Discard' }).click();

test('an administrator designs a form of two blocks with a running total, and a planner fills it by keyboard, paste and workbook', async ({
	page,
	browser
}) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/forms');
	await ready(page);
	await page.getByRole('link', { name: 'New form' }).click();
	await expect(page.getByRole('heading', { name: 'New form' })).toBeVisible();
	await inspector(page).getByLabel('Name', { exact: true }).fill('Terminal plan');
	await inspector(page).getByLabel('Folder').fill('Shore');
	await inspector(page).getByLabel('Description').fill('What terminals need.');

	// Rows: terminal running instead of everything.
	const rows = page.getByRole('region', { name: 'Rows', exact: true });
	await rows.getByRole('list', { name: 'Blocks on Rows' }).getByRole('listitem').click();
	const selected = inspector(page);
	await selected.getByRole('button', { name: /^Take .* out of the selection$/ }).click();
	await expect(selected.getByRole('status')).toContainText('Gives 0 members today');
	await expect(page.getByText('No rows: the selection on the rows yields nothing today.')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Publish' })).toBeDisabled();
	await selected.getByRole('combobox', { name: 'Find a member to take' }).fill('Terminal running');
	await selected.getByRole('option', { name: /^Terminal running/ }).click();
	await expect(selected.getByRole('status')).toContainText('Gives 4 members today: Terminal running, Terminal energy');

	// Columns: a second block runs the months up, before the year.
	await page.getByRole('button', { name: 'Add computed lines to Columns' }).click();
	await selected.getByLabel('Computed as').selectOption('to date');
	await selected.getByLabel('Called').fill('to date');
	await expect(page.getByRole('treegrid', { name: 'Preview of the form' }).getByRole('rowheader', { name: 'Berth hire' })).toBeVisible();

	// A dimension by the keyboard: versions are pinned.
	await page.getByRole('region', { name: 'Selectors' }).getByRole('listitem').filter({ hasText: 'Version' }).click();
	await selected.getByLabel('Stands among').selectOption('pinned');
	await expect(page.getByRole('region', { name: 'Pinned' })).toContainText('Version: Proposal');
	await expect(page.getByRole('button', { name: 'Publish' })).toBeEnabled();
	await page.getByRole('button', { name: 'Publish' }).click();
	await expect(page.getByText('Published as version 1')).toBeVisible();
	await expect(page).toHaveURL(/\/forms\/terminal-plan\/design$/);

	// The planner fills it.
	const planner = await another(browser, 'tove.brandal');
	await planner.goto('/forms');
	await ready(planner);
	await planner.getByRole('region', { name: 'Shore' }).getByRole('link', { name: 'Terminal plan' }).click();
	await ready(planner);
	await choose(planner, 'Line', 'Skerry Line');
	await choose(planner, 'Scenario', 'Budget FY2028');
	await choose(planner, 'Year', 'FY2028');
	await choose(planner, 'Route', 'All routes');
	await choose(planner, 'Department', 'Terminals');
	const yearBefore = (await figureAt(planner, 'Terminal energy', 'FY2028'))!;
	const energy = (await figureAt(planner, 'Terminal energy', 'Apr'))!;
	await type(planner, 'Terminal energy', 'Apr', '50k');
	expect(await figureAt(planner, 'Terminal energy', 'FY2028')).toBeCloseTo(yearBefore + 50_000 - energy, -1);
	await paste(planner, 'Terminal cleaning', 'Apr', '1000\t2000\t3000\n10\t20\t30');
	await expect.poll(() => figureAt(planner, 'Berth hire', 'Jun')).toBe(30);
	expect(await figureAt(planner, 'Terminal cleaning', 'May')).toBe(2_000);
	// The running total follows.
	await planner.locator('.scroller').evaluate((element) => element.scrollTo({ left: 1_100 }));
	const heads = planner.locator('thead th', { hasText: /^\s*Jun\s*$/ });
	const cleaning = planner.locator('tbody tr').filter({ has: planner.locator('th', { hasText: 'Terminal cleaning' }) });
	// Both again until the columns scrolled to are drawn: right after scrolling the last June is still the month's own.
	await expect(async () => {
		const runUp = await heads.last().getAttribute('aria-colindex');
		await expect(cleaning.locator(`td[aria-colindex="${runUp}"]`)).toHaveText('6,000', { timeout: 500 });
	}).toPass();

	// By workbook.
	const downloading = planner.waitForEvent('download');
	await planner.getByRole('button', { name: 'More' }).click();
	await planner.getByRole('button', { name: 'Download as a workbook' }).click();
	const download = await downloading;
	expect(download.suggestedFilename()).toBe('Terminal plan.xlsx');
	const book = new ExcelJS.Workbook();
	await book.xlsx.readFile(await download.path());
	const sheet = book.worksheets[0]!;
	const row = [...Array(sheet.rowCount).keys()].find((at) => sheet.getCell(at + 1, 1).text === 'Berth hire')! + 1;
	sheet.getCell(row, 5).value = 444;
	await planner.getByLabel('A workbook of this form').setInputFiles({
		name: 'plan.xlsx',
		mimeType: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
		buffer: Buffer.from(await book.xlsx.writeBuffer())
	});
	const review = planner.getByRole('region', { name: 'What the workbook would do' });
	await expect(review).toContainText('The workbook changes one cell');
	await expect(review).toContainText('Berth hire, Jul 2027');
	await review.getByRole('button', { name: 'Take one figure into my draft' }).click();
	await planner.locator('.scroller').evaluate((element) => element.scrollTo({ left: 0 }));
	await expect.poll(() => figureAt(planner, 'Berth hire', 'Jul')).toBe(444);
	await planner.keyboard.press('Control+s');
	await expect(planner.getByRole('status').filter({ hasText: 'Saved' })).toContainText(/Saved \d+ cells/);
	await planner.context().close();

	// A copy, another version, and back to the first.
	await page.getByRole('button', { name: 'Settings' }).click();
	await inspector(page).getByLabel('Description').fill('What terminals really need.');
	await page.getByRole('button', { name: 'Publish' }).click();
	await expect(page.getByText('Published as version 2')).toBeVisible();
	await page.getByRole('button', { name: 'Versions' }).click();
	await expect(inspector(page)).toContainText('Description: What terminals really need.');
	await expect(inspector(page)).toContainText('Where it is used');
	await inspector(page).getByRole('button', { name: 'Restore' }).click();
	await expect(page.getByText('Version 1 is published again, as version 3.')).toBeVisible();
	await page.getByRole('button', { name: 'Delete' }).click();
	await page.getByRole('dialog').getByRole('button', { name: 'Delete the form' }).click();
	await expect(page).toHaveURL(/\/forms$/);
	await expect(page.getByRole('link', { name: 'Terminal plan' })).toHaveCount(0);
});

test('a dimension is dragged from tray to tray, by mouse and by keyboard, and undone', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/forms/route-contribution/design');
	await ready(page);
	const department = page.locator('#dimension-selectors-' + (await idOf(page, 'Selectors', 'Department')));
	const columns = page.getByRole('list', { name: 'Dimensions in Columns' });
	await expect(columns).toBeVisible();
	const from = (await department.boundingBox())!;
	const to = (await columns.boundingBox())!;
	await page.mouse.move(from.x + 10, from.y + 10);
	await page.mouse.down();
	await page.mouse.move(to.x + 30, to.y + 12, { steps: 12 });
	await page.waitForTimeout(300);
	await page.mouse.up();
	await expect(columns).toContainText('Department');
	await expect(page.getByRole('region', { name: 'Selectors' })).not.toContainText('Department');
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByRole('region', { name: 'Selectors' })).toContainText('Department');

	// Leaving with changes asks; the preview shows another person's rights.
	await page.getByRole('button', { name: 'Redo' }).click();
	await page.getByRole('link', { name: 'Desk' }).click();
	await page.getByRole('dialog', { name: 'Leave without publishing?' }).getByRole('button', { name: 'Stay' }).click();
	await page.getByRole('button', { name: 'Undo' }).click();
	await page.getByLabel('See as').selectOption({ label: 'Runa Eskild, Reviewer, lines' });
	const preview = page.getByRole('treegrid', { name: 'Preview of the form' });
	await expect(preview.locator('td.spread, td.enter')).toHaveCount(0);
	await page.getByLabel('See as').selectOption({ label: 'myself' });
	await expect(preview.locator('td.spread').first()).toBeVisible();
});

async function idOf(page: Page, tray: string, name: string): Promise<string> {
	const id = await page
		.getByRole('list', { name: `Dimensions in ${tray}` })
		.getByRole('listitem')
		.filter({ hasText: new RegExp(`^\\s*${name}\\s*$`) })
		.getAttribute('id');
	return id!.split('-').at(-1)!;
}

test('choices, dates and texts are typed as words', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'dry-docking');
	const yard = await cellAt(page, 'Uldsound – Farrholm', 'Stands in');
	await yard.click();
	await page.keyboard.press('F2');
	await expect(page.getByRole('listbox', { name: 'Choices' })).toContainText('Listra – Vellen');
	await page.keyboard.type('salt');
	await expect(page.getByRole('listbox', { name: 'Choices' }).getByRole('option')).toHaveCount(1);
	await page.keyboard.press('Tab');
	await page.keyboard.type('2027-10-05');
	await page.keyboard.press('Tab');
	await page.keyboard.type('12');
	await page.keyboard.press('Enter');
	await expect(yard).toContainText('Northgate – Saltmarrow');
	await expect(await cellAt(page, 'Uldsound – Farrholm', 'Enters the dock')).toContainText(/5 Oct 2027|Oct 5, 2027/);
	await type(page, 'Uldsound – Farrholm', 'What is done', 'Rudder bearings');
	await expect(await cellAt(page, 'Uldsound – Farrholm', 'What is done')).toContainText('Rudder bearings');
	await type(page, 'Skerrivik – Lomvoe', 'Stands in', 'nowhere');
	await expect(page.getByRole('alert')).toContainText('is not among the choices');
	await discard(page);
});

test('notes are threads, a name in them reaches the desk, and detail lines become the figure', async ({ page, browser }) => {
	await signIn(page, 'tove.brandal');
	await page.goto('/desk');
	await expect(page.getByRole('link', { name: /Osric Hale wrote to you on Fleet care/ })).toBeVisible();
	await openForm(page, 'fleet-care');
	await choose(page, 'Route', 'Skerrivik – Holmness');
	await choose(page, 'Department', 'Fleet care');
	await choose(page, 'In', 'local currency');
	await (await cellAt(page, 'Lubricants', 'Apr')).click();
	await page.keyboard.press('Control+i');
	const details = page.getByRole('complementary', { name: 'Details of the cell' });
	await details.getByLabel('A note on this figure').fill('New oil from April. @Osric Hale');
	await details.getByRole('button', { name: 'Keep the note' }).click();
	await expect(details).toContainText('New oil from April.');
	await expect(await cellAt(page, 'Lubricants', 'Apr')).toHaveAttribute('aria-label', /a note/);

	await details.getByRole('button', { name: 'Add a line' }).click();
	await details.getByLabel('What of line 1').fill('Drums');
	await details.getByLabel('Amount of line 1').fill('1,200');
	await details.getByLabel('Factor of line 1').fill('3');
	await details.getByLabel('Factor of line 1').press('Tab');
	await expect.poll(() => figureAt(page, 'Lubricants', 'Apr')).toBe(3_600);
	await expect(page.getByRole('button', { name: /^Save/ })).toHaveCount(0);
	await details.getByLabel('An address to attach').fill('https://oil.example/offer');
	await details.getByLabel('An address to attach').press('Enter');
	await expect(details.getByRole('link', { name: 'https://oil.example/offer' })).toBeVisible();

	const controller = await another(browser, 'osric.hale');
	await expect(controller.getByRole('link', { name: /Tove Brandal wrote to you on Fleet care: New oil from April/ })).toBeVisible();
	await controller.goto(page.url());
	await ready(controller);
	expect(await figureAt(controller, 'Lubricants', 'Apr')).toBe(3_600);
	await (await cellAt(controller, 'Lubricants', 'Apr')).click();
	await controller.keyboard.press('Control+i');
	const other = controller.getByRole('complementary', { name: 'Details of the cell' });
	await other.getByRole('button', { name: 'Resolve' }).click();
	await expect(other).toContainText('Resolved by Osric Hale');
	await controller.context().close();
});

test('a row is filled by a method, drawn as a chart, and a line of one’s own is added', async ({ page }) => {
	await signIn(page, 'lidia.marne');
	await openForm(page, 'fleet-care');
	await choose(page, 'Line', 'Amber Coast Line');
	const outlook = (await figureAt(page, 'Lubricants', 'Outlook FY2027'))!;
	await (await cellAt(page, 'Lubricants', 'Apr')).click();
	await page.keyboard.press('Shift+F10');
	await page.getByRole('menuitem', { name: 'Fill the row by a method' }).click();
	const methods = page.getByRole('complementary', { name: 'Fill the row by a method' });
	await methods.getByLabel('Raised by, %').fill('10');
	await expect(methods.getByRole('row', { name: /^Together/ })).toContainText(/\d/);
	await methods.getByRole('button', { name: 'Put into my draft' }).click();
	await expect(page.getByRole('status').first()).toContainText('filled in your draft');
	await methods.getByRole('button', { name: 'Close the methods' }).click();
	expect(await figureAt(page, 'Lubricants', 'FY2028')).toBeCloseTo(outlook * 1.1, -1);

	await page.keyboard.press('Control+k');
	await page.keyboard.type('chart of the');
	await page.keyboard.press('Enter');
	// The drawing inside is an image of its own while it comes up.
	const chart = page.getByRole('complementary', { name: 'Chart of the selected rows' });
	await expect(chart.getByRole('img', { name: 'Chart of Lubricants' }).first()).toBeVisible();
	await expect(page.locator('.apexcharts-line-series')).toBeVisible();
	await page.getByRole('button', { name: 'Close the chart' }).click();

	await page.getByRole('button', { name: 'More' }).click();
	await page.getByRole('button', { name: 'Add a line of my own' }).click();
	await page.getByLabel('Name of the new line').fill('Stabiliser fins');
	await page.getByRole('button', { name: 'Add the line' }).click();
	await expect(page.getByRole('rowheader', { name: 'Stabiliser fins' })).toBeVisible();
	await type(page, 'Stabiliser fins', 'Jun', '5000');
	expect(await figureAt(page, 'Stabiliser fins', 'FY2028')).toBeCloseTo(5_000, 0);
	await discard(page);
});

test('the view: thousands, hidden rows, folded months, find, zoom', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'route-contribution');
	await page.getByRole('button', { name: 'View' }).click();
	await page.getByRole('button', { name: 'Thousands' }).click();
	await page.keyboard.press('Escape');
	await expect(await cellAt(page, 'Revenue', 'Apr')).toContainText(/^\s*2,521\.\d/);
	await type(page, 'Revenue', 'Apr', '3000');
	expect(await figureAt(page, 'Revenue', 'Apr')).toBe(3_000);
	await page.getByRole('button', { name: 'View' }).click();
	await page.getByRole('button', { name: 'Units' }).click();
	await page.keyboard.press('Escape');
	expect(await figureAt(page, 'Revenue', 'Apr')).toBe(3_000_000);
	await discard(page);

	await (await cellAt(page, 'Voyage costs', 'Apr')).click({ button: 'right' });
	await page.getByRole('menuitem', { name: 'Hide the selected rows' }).click();
	await expect(page.getByRole('rowheader', { name: 'Voyage costs' })).toHaveCount(0);
	await page.getByRole('button', { name: 'Close Q1 FY2028' }).click();
	await expect(page.locator('thead th', { hasText: /^\s*Apr\s*$/ })).toHaveCount(0);
	await page.getByRole('button', { name: 'Open Q1 FY2028' }).click();

	await (await cellAt(page, 'Revenue', 'Apr')).click();
	await page.keyboard.press('Control+f');
	await page.getByLabel('Find a row, a column or a figure').fill('restaurant');
	await page.keyboard.press('Enter');
	await expect(page.locator('td.focused')).toBeVisible();
	await expect(page.getByRole('rowheader', { name: 'Restaurant' })).toBeVisible();
	await page.getByRole('button', { name: 'Close find' }).click();
	await page.getByRole('button', { name: 'View' }).click();
	await page.getByRole('button', { name: 'Show the hidden row' }).click();
	await expect(page.getByRole('rowheader', { name: 'Voyage costs' })).toBeVisible();
});

test('bad input is refused with a sentence and loses nothing', async ({ page, context }) => {
	await signIn(page, 'imke.solberg');
	await openForm(page, 'route-contribution');
	await choose(page, 'Line', 'Northgate Line');
	await type(page, 'Revenue', 'May', '4m');
	await type(page, 'Revenue', 'Jun', 'lots');
	await expect(page.getByRole('alert')).toContainText('“lots” is not a number');
	await type(page, 'Revenue', 'Jun', '1e400');
	await expect(page.getByRole('alert')).toContainText('is not a number');
	await paste(page, 'Revenue', 'Apr', Array.from({ length: 1_000 }, () => '1\t'.repeat(999) + '1').join('\n'));
	await expect(page.getByRole('alert')).toContainText('1,000,000 cells; at most 20,000');
	// Over closed and computed cells: those are refused, the rest is taken.
	await paste(page, 'Load factor', 'May', '5\n6');
	await expect(page.getByRole('alert')).toContainText(/not taken|computed by its formula/);
	await expect(await cellAt(page, 'Load factor', 'May')).toHaveClass(/refused/);
	expect(await figureAt(page, 'Revenue', 'May')).toBe(4_000_000);

	// The session ends while one types: the entry waits and is sent after signing in again.
	await context.clearCookies();
	await (await cellAt(page, 'Revenue', 'Jul')).click();
	await page.keyboard.type('5m');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('alert').filter({ hasText: 'Your session has ended. One entry waits' })).toBeVisible();
	await page.getByRole('link', { name: 'Sign in again' }).click();
	await page.getByLabel('E-mail address').fill('imke.solberg@brinewater.example');
	await page.getByLabel('Password').fill((await import('../../demo/people.mjs')).DEMO_PASSWORD);
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByRole('heading', { name: 'Route contribution' })).toBeVisible();
	await ready(page);
	await expect.poll(() => figureAt(page, 'Revenue', 'Jul')).toBe(5_000_000);
	expect(await figureAt(page, 'Revenue', 'May')).toBe(4_000_000);
	await discard(page);
});

test('numbers that fit two ways of writing are asked about once', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'route-contribution');
	await paste(page, 'Passengers', 'Apr', '71.000\t84.000');
	await expect(page.getByRole('alert')).toContainText('“71.000” can be read in two ways');
	await page.getByRole('button', { name: '1.234,5' }).click();
	await expect.poll(() => figureAt(page, 'Passengers', 'May')).toBe(84_000);
	await discard(page);
});

test('two people on a form see each other, and a print view stands ready', async ({ page, browser }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'net-assets');
	const other = await another(browser, 'osric.hale');
	await openForm(other, 'net-assets');
	await expect(other.getByTitle('Tove Brandal has this form open')).toBeVisible();
	await other.addInitScript(() => (window.print = () => {}));
	await other.goto('/print/forms/net-assets');
	await expect(other.getByRole('heading', { name: 'Net assets' })).toBeVisible();
	await expect(other.getByRole('rowheader', { name: 'Vessels', exact: true })).toBeVisible();
	await other.context().close();
});

test('a slow answer to an earlier selection does not stand over the present one', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/forms/fleet-care/design');
	await ready(page);
	const rows = page.getByRole('region', { name: 'Rows', exact: true });
	await rows.getByRole('list', { name: 'Blocks on Rows' }).getByRole('listitem').click();
	await expect(inspector(page).getByRole('status')).toContainText('members today');
	let release = () => {};
	const held = new Promise<void>((resolve) => (release = resolve));
	const isAll = (body: string | null) => (body ?? '').includes('"kind":"all"');
	await page.route('**/form-design/select', async (route) => {
		if (isAll(route.request().postData())) await held;
		await route.continue();
	});
	const asked = page.waitForRequest((request) => request.url().endsWith('/form-design/select') && isAll(request.postData()));
	await inspector(page).getByRole('button', { name: 'All', exact: true }).click();
	await asked;
	await inspector(page).getByRole('button', { name: 'Take all out of the selection' }).click();
	await expect(inspector(page).getByRole('status')).toContainText('Gives 0 members today');
	const late = page.waitForResponse((response) => response.url().endsWith('/form-design/select') && isAll(response.request().postData()));
	release();
	await (await late).finished();
	await expect(inspector(page).getByRole('status')).toContainText('Gives 0 members today');
});

test('a form that asks first shows nothing until one has chosen', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/forms/fleet-care/design');
	await ready(page);
	await page.getByRole('button', { name: 'Copy', exact: true }).click();
	await page.waitForURL(/fleet-care-copy/);
	await ready(page);
	await page.getByRole('region', { name: 'Selectors' }).getByRole('listitem').filter({ hasText: 'Route' }).click();
	await inspector(page).getByText('Asks first').click();
	await page.getByRole('button', { name: 'Publish' }).click();
	await expect(page.getByText('Version 2', { exact: true }).first()).toBeVisible();
	await page.goto('/forms/fleet-care-copy');
	await ready(page);
	await expect(page.getByText('Choose Route first.')).toBeVisible();
	await expect(page.getByRole('treegrid')).toHaveCount(0);
	await choose(page, 'Route', 'Skerrivik – Holmness');
	await expect(page.getByRole('treegrid')).toBeVisible();
	expect(await figureAt(page, 'Repairs', 'FY2028')).toBeGreaterThan(0);
});
