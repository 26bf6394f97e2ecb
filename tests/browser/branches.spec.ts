import { expect, test, type Page } from '@playwright/test';
import { violations } from './axe';
import { another, choose, figureAt, ready, signIn, unfold } from './people';

const ribbon = (page: Page) => page.getByRole('status').filter({ hasText: 'What-if:' });
const cell = (page: Page, row: string, column: number) =>
	page
		.locator('tbody tr')
		.filter({ has: page.locator('th', { hasText: new RegExp(`^\\s*${row}\\s*$`) }) })
		.locator('td')
		.nth(column);

/** Types a figure into the form that is shown, and saves it. */
async function typeAndSave(page: Page, row: string, column: number, text: string): Promise<void> {
	await cell(page, row, column).click();
	await page.keyboard.type(text);
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: /^Save one change|^Save \d+ changes/ }).click();
	await expect(page.getByRole('status').filter({ hasText: /Saved .* in the branch\./ })).toBeVisible();
}

test('what if fuel were dearer: tried by two in a branch, compared, made the plan, and taken back', async ({ page, browser }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/forms/route-contribution');
	await ready(page);
	await choose(page, 'Line', 'Northgate Line');
	await unfold(page, 'Voyage costs');
	const [april, may] = [(await figureAt(page, 'Fuel', 'Apr'))!, (await figureAt(page, 'Fuel', 'May'))!];

	// From the form into a branch of it, with somebody else.
	const name = `Fuel at noon ${Date.now() % 100_000}`;
	await page.getByRole('button', { name: 'More', exact: true }).click();
	await page.getByRole('button', { name: 'Try it in a branch' }).click();
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill(name);
	await page.getByLabel('What it is for').fill('What if fuel were dearer?');
	await page.getByLabel('Add somebody').selectOption('Imke Solberg');
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Make it' }).click();
	await page.waitForURL(/\/m\/group~\d+\/forms\/route-contribution/);
	await ready(page);
	await expect(ribbon(page)).toContainText(name);
	await expect(page.getByRole('button', { name: 'Line: Northgate Line' })).toBeVisible();
	await unfold(page, 'Voyage costs');
	await typeAndSave(page, 'Fuel', 0, String(Math.round(april * 2)));
	await expect(cell(page, 'Fuel', 0)).toHaveClass(/branched/);
	await expect(cell(page, 'Voyage costs', 0)).toHaveClass(/branched/);
	await expect(cell(page, 'Fuel', 1)).not.toHaveClass(/branched/);

	// The other one finds it, works in it, and what they save arrives here.
	const imke = await another(browser, 'imke.solberg');
	await imke.goto('/m/group/branches');
	await ready(imke);
	await imke.getByRole('link', { name }).click();
	await ready(imke);
	await expect(ribbon(imke)).toContainText(name);
	await imke.goto(page.url());
	await ready(imke);
	await unfold(imke, 'Voyage costs');
	expect(await figureAt(imke, 'Fuel', 'Apr')).toBeCloseTo(april * 2, -1);
	await typeAndSave(imke, 'Fuel', 1, String(Math.round(may * 2)));
	await expect.poll(() => figureAt(page, 'Fuel', 'May')).toBe(Math.round(may * 2));

	// The plan is as it was.
	const plan = await another(browser, 'osric.hale');
	await plan.goto(page.url().replace(/~\d+/, ''));
	await ready(plan);
	await unfold(plan, 'Voyage costs');
	expect([await figureAt(plan, 'Fuel', 'Apr'), await figureAt(plan, 'Fuel', 'May')]).toEqual([april, may]);

	// What differs, by whom; talked about; compared.
	await ribbon(page).getByRole('link', { name }).click();
	await ready(page);
	const changes = page.getByRole('table', { name: 'Changes of the branch' });
	await expect(changes).toContainText('Imke Solberg');
	await expect(page.getByRole('heading', { name: 'What it does to the totals' })).toBeVisible();
	await page.getByLabel('Write something').fill('Half of it could be hedged.');
	await page.getByRole('button', { name: 'Write it' }).click();
	await expect(page.getByText('Half of it could be hedged.')).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('link', { name: 'Compare' }).click();
	await page.waitForURL(/\/compare/);
	await ready(page);
	await choose(page, 'Line', 'Northgate Line');
	const beside = page.getByRole('table', { name: 'Side by side' });
	const fuel = beside.getByRole('row').filter({ has: page.getByRole('rowheader', { name: 'Fuel', exact: true }) });
	await expect(fuel).toContainText('+');
	await expect(beside).not.toContainText('Revenue');
	await page.getByLabel('only what differs').uncheck();
	await expect(beside).toContainText('Revenue');
	expect(await violations(page)).toEqual([]);
	await page.goBack();
	await page.goBack();

	// Made the plan, and taken back.
	await page.getByRole('link', { name }).first().click();
	await ready(page);
	await page.getByRole('button', { name: 'Merge', exact: true }).click();
	await page.getByRole('region', { name: 'Merge into the plan' }).getByRole('button', { name: 'Merge', exact: true }).click();
	await expect(page.getByText(/^Merged .* into the plan, as revision \d+\./)).toBeVisible();
	await expect.poll(() => figureAt(plan, 'Fuel', 'May')).toBe(Math.round(may * 2));
	await page.getByRole('button', { name: 'Take the merge back' }).click();
	await expect(page.getByText('The merge is taken back')).toBeVisible();
	await expect.poll(() => figureAt(plan, 'Fuel', 'May')).toBe(may);

	// Put back, frozen, dropped, brought back.
	await page.getByRole('button', { name: 'Put all back' }).click();
	await expect(page.getByRole('heading', { name: 'No changes' })).toBeVisible();
	await page.getByRole('button', { name: 'Freeze' }).click();
	await expect(page.getByText('Frozen. Made by Osric Hale')).toBeVisible();
	await imke.reload();
	await ready(imke);
	await expect(ribbon(imke)).toContainText('frozen');
	await expect(imke.locator('td.enter, td.spread')).not.toHaveCount(0);
	await page.getByRole('button', { name: 'Drop' }).click();
	await page.waitForURL(/\/m\/group\/branches$/);
	await ready(page);
	const dropped = page.getByRole('list', { name: 'Dropped branches' }).getByRole('listitem').filter({ hasText: name });
	await dropped.getByRole('button', { name: 'Bring it back' }).click();
	await expect(page.getByRole('table', { name: 'Branches' })).toContainText(name);
	await imke.context().close();
	await plan.context().close();
});

test('where the plan has moved since, it is asked whose figure counts; who was not named sees no branch', async ({ page, browser }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/branches?make');
	await ready(page);
	const name = `Moved beneath ${Date.now() % 100_000}`;
	await page.getByLabel('Name', { exact: true }).fill(name);
	await page.getByRole('button', { name: 'Make it' }).click();
	await page.waitForURL(/~\d+\/branches\/\d+$/);
	await ready(page);
	const inside = page.url().replace(/\/branches.*/, '/forms/route-contribution');
	await page.goto(inside);
	await ready(page);
	await choose(page, 'Line', 'Amber Coast Line');
	const before = (await figureAt(page, 'Cars', 'Apr'))!;
	await typeAndSave(page, 'Cars', 0, String(before + 400));
	const address = page.url();
	const plan = await another(browser, 'osric.hale');
	await plan.goto(address.replace(/~\d+/, ''));
	await ready(plan);
	await cell(plan, 'Cars', 0).click();
	await plan.keyboard.type(String(before + 10));
	await plan.keyboard.press('Enter');
	await plan.getByRole('button', { name: /^Save/ }).click();
	await expect(plan.getByRole('status').filter({ hasText: /Saved .* as revision/ })).toBeVisible();
	// It goes on showing its own where it was changed.
	expect(await figureAt(page, 'Cars', 'Apr')).toBe(before + 400);
	await ribbon(page).getByRole('link', { name }).click();
	await ready(page);
	await page.getByRole('button', { name: 'Merge', exact: true }).click();
	const merge = page.getByRole('region', { name: 'Merge into the plan' });
	await merge.getByRole('button', { name: 'Merge', exact: true }).click();
	await expect(merge.getByRole('alert')).toContainText('the plan has moved since');
	await expect(merge.getByRole('button', { name: 'Merge again' })).toBeDisabled();
	expect(await violations(page)).toEqual([]);
	await merge.getByRole('radio', { name: /the branch keeps its own/ }).click();
	await merge.getByRole('button', { name: 'Merge again' }).click();
	await expect(page.getByText('Nothing was written')).toBeVisible();
	await expect.poll(() => figureAt(plan, 'Cars', 'Apr')).toBe(before + 10);

	// An area that shows the plan leaves the branch; who was not named does not learn of it.
	await page.getByRole('link', { name: 'Rules' }).click();
	await page.waitForURL(/\/m\/group\/rules/);
	await expect(ribbon(page)).toHaveCount(0);
	const lidia = await another(browser, 'lidia.marne');
	await lidia.goto('/m/group/branches');
	await ready(lidia);
	await expect(lidia.getByRole('table', { name: 'Branches' })).not.toContainText(name);
	expect((await lidia.goto(address))!.status()).toBe(404);
	await lidia.context().close();
	await plan.getByRole('button', { name: 'Take the save back' }).click();
	await expect.poll(() => figureAt(plan, 'Cars', 'Apr')).toBe(before);
	await plan.context().close();
});

test('a runbook is run in a branch alone, a snapshot stays as it was, and a goal is found and typed', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/branches');
	await ready(page);

	// A snapshot of the budget as it is.
	const name = `As it stands ${Date.now() % 100_000}`;
	await page.getByRole('link', { name: 'Take a snapshot' }).click();
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill(name);
	await page.getByLabel('Scenario', { exact: true }).selectOption({ label: 'Budget FY2028' });
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Take it' }).click();
	const row = page.getByRole('table', { name: 'Snapshots' }).getByRole('row').filter({ hasText: name });
	await expect(row).toContainText('Budget FY2028');
	await row.getByRole('link', { name: /^Compare with the plan/ }).click();
	await ready(page);
	await expect(page.getByText('Nothing of this form differs')).toBeVisible();
	const compared = page.url();

	// A runbook is run in a branch of its own: it writes there alone.
	await page.goto('/m/group/branches?make');
	await ready(page);
	const tried = `Stretched ${Date.now() % 100_000}`;
	await page.getByLabel('Name', { exact: true }).fill(tried);
	await page.getByRole('button', { name: 'Make it' }).click();
	await page.waitForURL(/~\d+\/branches\/\d+$/);
	await ready(page);
	await page.getByLabel('Run a runbook in this branch').selectOption({ label: 'Open the stretch plan' });
	await page.getByLabel('Growth on the last full year').fill('25');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: 'Run it here' }).click();
	const runs = page.getByRole('region', { name: 'Runs in it' });
	await expect(runs.getByRole('listitem')).toHaveCount(1);
	await expect(runs.getByRole('listitem')).toContainText('cells changed');
	await expect(page.getByRole('region', { name: 'What it does to the totals' })).toContainText('Stretch plan');
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Merge', exact: true }).click();
	await expect(page.getByRole('region', { name: 'Merge into the plan' })).toContainText('“Open the stretch plan” is run in the plan');
	await runs.getByRole('button', { name: /^Put back/ }).click();
	await expect(runs).toContainText('Put back');
	await expect(page.getByText('No total differs from the plan.')).toBeVisible();

	// In the plan a goal is found, typed and saved: the snapshot stays as it was, and the two are held against one another.
	await page.goto('/m/group/forms/route-contribution');
	await ready(page);
	await choose(page, 'Line', 'Skerry Line');
	await cell(page, 'Sailings', 0).click();
	await page.keyboard.press('Shift+F10');
	await page.getByRole('menuitem', { name: /^Try values/ }).click();
	const panel = page.getByRole('complementary', { name: 'Try values' });
	await expect(panel).toContainText('Sailings, Apr 2027');
	await cell(page, 'Voyage cost a sailing', 0).click();
	await panel.getByRole('button', { name: 'Take the selected cell' }).nth(1).click();
	await panel.getByLabel('What it is to come to').fill('3000');
	await page.keyboard.press('Tab');
	await panel.getByRole('button', { name: 'Find the value' }).click();
	await expect(panel).toContainText('Nothing has been typed.');
	expect(await violations(page)).toEqual([]);
	await panel.getByRole('button', { name: 'Type it in' }).click();
	await expect.poll(() => figureAt(page, 'Voyage cost a sailing', 'Apr')).toBeCloseTo(3_000, 0);
	await page.getByRole('button', { name: /^Save one change|^Save \d+ changes/ }).click();
	await expect(page.getByRole('status').filter({ hasText: /Saved/ })).toBeVisible();
	await page.goto(compared);
	await ready(page);
	const beside = page.getByRole('table', { name: 'Side by side' });
	await expect(beside).toContainText('Voyage cost a sailing');
	await beside.getByRole('button', { name: 'Sailings' }).click();
	await expect(page.getByRole('img', { name: `Chart of ${name}, Plan` })).toBeVisible();
	await page.getByLabel('Put something beside it').selectOption({ label: 'Dear fuel' });
	await expect(beside).toContainText('Dear fuel');
	expect(await violations(page)).toEqual([]);
	const file = page.waitForEvent('download');
	await page.getByRole('link', { name: 'Download as workbook' }).click();
	expect((await file).suggestedFilename()).toContain(name);

	await page.goto('/m/group/branches');
	await ready(page);
	await row.getByRole('button', { name: `Delete ${name}` }).click();
	await row.getByRole('button', { name: 'Delete it for good' }).click();
	await expect(row).toHaveCount(0);
});

test('a branch is limited, read at other rates, loaded into and put back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/group/branches?make');
	await ready(page);
	const name = `Weak kroner ${Date.now() % 1_000_000}`;
	await page.getByLabel('Name', { exact: true }).fill(name);
	const skerry = await page.locator('optgroup[label="Line"] option', { hasText: 'Skerry Line' }).getAttribute('value');
	await page.getByLabel('Limit it to').selectOption(skerry!);
	await expect(page.getByText('Line: Skerry Line')).toBeVisible();
	await page.getByLabel('Rates', { exact: true }).selectOption('Budget rates FY2027');
	await page.getByLabel('In the place of').selectOption('Budget rates FY2028');
	await page.getByRole('button', { name: 'Make it' }).click();
	await page.waitForURL(/~\d+\/branches\/\d+/);
	await ready(page);
	await expect(page.getByText('limited to Skerry Line', { exact: true })).toBeVisible();
	await expect(page.getByText('at Budget rates FY2027', { exact: true })).toBeVisible();
	await page.getByLabel('Load a file into this branch').selectOption('Ledger, monthly');
	await page.getByLabel('File for Ledger, monthly').setInputFiles({
		name: 'september.csv',
		mimeType: 'text/csv',
		buffer: Buffer.from('Account;Unit;Route;Posting date;Text;Amount\n7010;S-BK;RT-01;02.09.2026;x;70-\n7010;N-BK;RT-01;02.09.2026;x;5-\n')
	});
	await expect(page.getByText(/2 rows: one row would be loaded, one row rejected/)).toBeVisible();
	await expect(page.getByText(/is limited to Skerry Line/).first()).toBeVisible();
	await page.getByLabel('Load the good rows').check();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Load it here' }).click();
	const loads = page.getByRole('region', { name: 'Loads into it' });
	await expect(loads.getByText('september.csv: 1 row, Actual, Sep 2026')).toBeVisible({ timeout: 30_000 });
	await loads.getByRole('button', { name: /^Put back/ }).click();
	await expect(loads.getByText('Put back', { exact: true })).toBeVisible();
	// Its terms can be changed: the limit taken off, the ribbon follows.
	await page.getByRole('button', { name: 'Name, people and terms' }).click();
	await page.getByRole('button', { name: 'Take off' }).click();
	await page.getByRole('button', { name: 'Keep it' }).click();
	await expect(page.getByText('limited to Skerry Line', { exact: true })).toBeHidden();
});
