import { expect, test, type Page } from '@playwright/test';
import { cellAt, choose, figureAt, openForm, ready, signIn, unfold } from './people';

const HEAD = 'Account;Unit;Route;Posting date;Text;Amount\n';
const csv = (name: string, content: string | Buffer) => ({ name, mimeType: 'text/csv', buffer: Buffer.from(content) });

const openImport = async (page: Page, code = 'ledger') => {
	await page.goto(`/data-in/${code}`);
	await ready(page);
};
const showActual = async (page: Page) => {
	await openForm(page, 'route-contribution');
	await choose(page, 'Line', 'Brinewater group');
	await choose(page, 'Scenario', 'Actual');
	await choose(page, 'Version', 'Agreed');
	await choose(page, 'Year', 'FY2027');
};
const batchHeading = (page: Page) => page.getByRole('heading', { name: /^Batch \d+:/ });

test('the ledger is checked and loaded, its unknown account mapped from the reject, the rejects reloaded, seen in the form, and taken back', async ({
	page
}) => {
	await signIn(page, 'maren.kvist');
	await showActual(page);
	expect(await figureAt(page, 'Revenue', 'Sep')).toBeUndefined();

	// Looked at: nothing is written yet.
	await openImport(page);
	await page.getByLabel('File to load').setInputFiles('demo/files/ledger-2026-09.csv');
	await expect(page.getByText('Would load 2,209')).toBeVisible();
	await expect(page.getByRole('region', { name: 'Account map' })).toContainText('1 value, 3 rows without a member');
	await expect(page.getByRole('region', { name: 'What they become' })).toContainText('Foot passengers');

	// All or nothing is the default; good rows load when told to.
	await page.getByRole('button', { name: 'Load 2,209 rows' }).click();
	const panel = page.getByRole('region', { name: 'Load' });
	await expect(panel).toContainText('Replaces what this import loaded before for Actual, Sep 2026');
	await expect(panel.getByRole('button', { name: 'Load now' })).toBeDisabled();
	await panel.getByLabel(/Load good rows/).check();
	await panel.getByRole('button', { name: 'Load now' }).click();
	await expect(batchHeading(page)).toContainText('ledger-2026-09.csv');
	const batch = page.getByRole('region', { name: 'Batch' });
	await expect(batch).toContainText('replaced Actual, Sep 2026');
	await expect(batch).toContainText('“31.09.2026” is not a date written DD.MM.YYYY.');
	const number = /Batch (\d+):/.exec((await batchHeading(page).textContent())!)![1]!;

	// Mapped from the reject, by keyboard.
	const reason = batch.getByRole('row', { name: /no member for “5305”/ });
	await reason.getByRole('button', { name: 'Map it' }).click();
	const details = page.getByRole('complementary', { name: 'Details' });
	await expect(details).toContainText('3 rows');
	await details.getByRole('combobox', { name: 'Member for 5305' }).focus();
	await page.keyboard.type('terminal energ');
	await expect(details.getByRole('option', { name: /Terminal energy/ })).toBeVisible();
	await page.keyboard.press('Enter');
	await expect(reason).toContainText('mapped now');
	await batch.getByRole('button', { name: /Reload only the rejects, 3 rows now mapped/ }).click();
	await expect(page.getByRole('heading', { name: /rejects|ledger-2026-09/ }).first()).toBeVisible();
	await expect(page.getByRole('link', { name: new RegExp(`rejects of ${number}, loaded`) })).toBeVisible();
	await expect(batch.getByText('added to')).toBeVisible();

	// In the form, and from its cell back to the rows.
	await showActual(page);
	expect(await figureAt(page, 'Revenue', 'Sep')).toBeGreaterThan(1_000_000);

	// Taken back, the reload first, then the load.
	await page.goto(`/data-in/ledger?view=batches&batch=${number}`);
	await ready(page);
	await page.getByRole('button', { name: 'Take back…' }).click();
	const question = page.getByRole('group', { name: 'Take back' });
	await expect(question).toContainText('This batch wrote');
	await question
		.getByRole('button', { name: /^Take back [\d,]+ cells|^Take back this and/ })
		.last()
		.click();
	await expect(page.getByRole('main').getByText('cells are as they were before')).toBeVisible();
	await expect(batch).toContainText('taken back');
	await showActual(page);
	expect(await figureAt(page, 'Revenue', 'Sep')).toBeUndefined();
});

test('a leaf cell leads to the rows it was loaded from', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openImport(page);
	await page
		.getByLabel('File to load')
		.setInputFiles(csv('two-rows.csv', `${HEAD}7010;S-BK;RT-01;02.09.2026;First;116 200.00-\n7010;S-BK;RT-01;28.09.2026;Second;800.00-\n`));
	await page.getByRole('button', { name: 'Load 2 rows' }).click();
	await page.getByRole('button', { name: 'Load now' }).click();
	await expect(batchHeading(page)).toContainText('two-rows.csv');
	await expect(page.getByRole('main').getByText('2 rows loaded,')).toBeVisible();

	// What became of a row.
	await page.getByLabel('Line of the file').fill('3');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('status').filter({ hasText: '800.00' })).toContainText('Skerry Line');

	await openForm(page, 'route-contribution');
	await choose(page, 'Line', 'Skerry Line');
	await choose(page, 'In', 'local currency');
	await choose(page, 'Scenario', 'Actual');
	await choose(page, 'Version', 'Agreed');
	await choose(page, 'Year', 'FY2027');
	await unfold(page, 'Revenue', 'Ticket revenue');
	expect(await figureAt(page, 'Foot passengers', 'Sep')).toBe(117_000);

	// From a leaf's cell: one route, one department.
	await choose(page, 'Route', 'Skerrivik – Holmness');
	await choose(page, 'Department', 'Booking office');
	await (await cellAt(page, 'Foot passengers', 'Sep')).click();
	await page.keyboard.press('Control+i');
	const cell = page.getByRole('complementary', { name: 'Details of the cell' });
	await cell.getByRole('button', { name: 'Show the rows of the file' }).click();
	await expect(cell).toContainText('2 rows, 117,000.00 in all');
	await expect(cell).toContainText('28.09.2026 · Second');
});

test('a new import is made from a file, its rules proposed, corrected and tried', async ({ page }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/data-in');
	await ready(page);
	await page.getByRole('button', { name: 'New import' }).click();
	await page.getByLabel('Name').fill('Cleaning invoices');
	await page
		.getByLabel('A file to begin from, if there is one')
		.setInputFiles(csv('cleaning.csv', 'Datum;Konto;Linie;Betrag\n01.09.2026;4010;SKE;1.234,56-\n02.09.2026;4999;NOR;7,00\n'));
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByRole('heading', { name: 'Cleaning invoices' })).toBeVisible();
	await ready(page);
	await expect(page.getByRole('region', { name: 'Period map' })).toContainText('by the date in Datum, written DD.MM.YYYY');
	await expect(page.getByText('Say where Scenario, Version come from.')).toBeVisible();

	const details = page.getByRole('complementary', { name: 'Details' });
	for (const [dimension, member] of [
		['Scenario', 'Actual'],
		['Version', 'Agreed']
	] as const) {
		await page
			.getByRole('region', { name: `${dimension} map` })
			.getByRole('button')
			.first()
			.click();
		await details.getByLabel('Its member comes from').selectOption('fixed');
		await details.getByRole('combobox', { name: 'Member for all rows' }).fill(member);
		await details.getByRole('option', { name: new RegExp(`^${member}`) }).click();
		await expect(page.getByRole('region', { name: `${dimension} map` })).toContainText(`always ${member}`);
	}
	await expect(page.getByText('Would load 1')).toBeVisible();
	await expect(page.getByText('Control total')).toContainText('-1,227.56');

	// A line is added, tried, and can be undone.
	const account = page.getByRole('region', { name: 'Account map' });
	await account.getByRole('button', { name: 'Skip rows with 4999' }).click();
	await expect(page.getByText('Left out 1')).toBeVisible();
	await page.getByRole('button', { name: 'Undo' }).click();
	await expect(page.getByText('Left out 1')).toBeHidden();
	await account.getByRole('button', { name: /^Account/ }).click();
	await details.getByLabel('Try a value').fill('4010');
	await page.keyboard.press('Enter');
	await expect(details.getByRole('status')).toContainText('“4010” meets pattern * → the member of that code.');

	// What was edited is there after a reload.
	await page.reload();
	await ready(page);
	await expect(page.getByText('Would load 1')).toBeVisible();
});

test('rows are fetched from the ledger service and checked through shared maps, and a schedule says when next', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openImport(page, 'ledger-service');
	await page.getByRole('button', { name: 'Fetch rows' }).click();
	await expect(page.getByRole('main').getByText(/fetched\. Nothing is loaded yet/)).toBeVisible();
	await expect(page.getByText(/goes to Actual, Oct 2026/)).toBeVisible();
	await page.getByRole('region', { name: 'Account map' }).getByRole('button').first().click();
	await expect(page.getByRole('complementary', { name: 'Details' })).toContainText('Also used by Ledger, monthly');

	await page.getByRole('link', { name: 'Source and schedule' }).click();
	await page.getByRole('textbox', { name: 'Minute, hour, day, month, weekday' }).fill('61 * * * *');
	await page.getByRole('button', { name: 'Run by itself' }).click();
	await expect(page.getByRole('alert')).toContainText('is not a schedule');
	await page.getByRole('textbox', { name: 'Minute, hour, day, month, weekday' }).fill('30 6 * * 1-5');
	await expect(page.getByText('At 06:30, Monday through Friday')).toBeVisible();
	await page.getByRole('button', { name: 'Run by itself' }).click();
	await expect(page.getByText('Next, in the name of Maren Kvist:')).toBeVisible();
	await page.getByRole('button', { name: 'Stop', exact: true }).click();
	await expect(page.getByRole('button', { name: 'Run by itself' })).toBeVisible();

	// Another month: asked for anew.
	await page.getByLabel('From month').fill('2026-11');
	await page.getByLabel('To month').fill('2026-11');
	await page.getByRole('button', { name: 'Set', exact: true }).click();
	await page.getByRole('button', { name: 'Fetch rows' }).click();
	await expect(page.getByText(/goes to Actual, Nov 2026/)).toBeVisible();
});

test('a load can be left and cancelled, and writes nothing then', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openImport(page, 'ticketing');
	const row = (index: number) => `202609,SKE,R${String((index % 10) + 1).padStart(2, '0')},departures,${index}\n`;
	const rows = Array.from({ length: 600_000 }, (_, index) => row(index)).join('');
	await page.getByLabel('File to load').setInputFiles(csv('many.csv', `month,line,route,measure,count\n${rows}`));
	await expect(page.getByRole('button', { name: 'Check all rows' })).toBeVisible();
	await page.getByRole('button', { name: /^Load 100,000\+ rows/ }).click();
	await page.getByRole('button', { name: 'Load now' }).click();
	await page.getByRole('button', { name: 'Cancel' }).click();
	await expect(page.getByRole('region', { name: 'Batch' })).toContainText(/Cancelled|cancelled/);
	await expect(page.getByRole('region', { name: 'Batch' })).toContainText('nothing was written');
});

test.describe('a file that cannot be read', () => {
	for (const [name, content, message] of [
		['lacks a column', 'Account;Unit;Route;Text;Amount\nx;x;x;x;1\n', 'The file has no column “Posting date”'],
		['has another delimiter', `${HEAD}x;x;x;x;x;1\n`.replaceAll(';', ','), 'this import expects “;” between columns'],
		['has another encoding', Buffer.from(`${HEAD}7010;S-BK;RT-01;02.09.2026;Fähre;5\n`, 'latin1'), 'not written in UTF-8'],
		['leaves a quotation mark open', `${HEAD}7010;S-BK;RT-01;02.09.2026;"open;5\n`, 'a quotation mark is left open']
	] as const)
		test(`because it ${name} says so`, async ({ page }) => {
			await signIn(page, 'maren.kvist');
			await openImport(page);
			await page.getByLabel('File to load').setInputFiles(csv('bad.csv', content as string));
			await expect(page.getByRole('region', { name: 'Source' })).toContainText(message);
			await expect(page.getByRole('button', { name: /^Load/ })).toBeDisabled();
		});

	test('because it is written otherwise is corrected with one click', async ({ page }) => {
		await signIn(page, 'maren.kvist');
		await openImport(page);
		await page
			.getByLabel('File to load')
			.setInputFiles(csv('commas.csv', 'Account,Unit,Route,Posting date,Text,Amount\n7010,S-BK,RT-01,02.09.2026,x,5\n'));
		await page.getByRole('link', { name: 'Source and schedule' }).click();
		await expect(page.getByText('commas.csv looks different: comma between columns')).toBeVisible();
		await page.getByRole('button', { name: 'Use that' }).click();
		await page.getByRole('link', { name: 'Map and check' }).click();
		await expect(page.getByText('Would load 1')).toBeVisible();
		await page.getByRole('link', { name: 'Source and schedule' }).click();
		await page.getByLabel('Between columns').selectOption(';');
		await page.getByLabel('Thousands').selectOption(' ');
	});
});

test('an auditor sees what was loaded and can change nothing', async ({ page }) => {
	await signIn(page, 'vera.lindmoor');
	await openImport(page);
	await expect(page.getByRole('heading', { name: 'Ledger, monthly' })).toBeVisible();
	await expect(page.getByRole('button', { name: /Choose a file|Another file|^Load/ })).toHaveCount(0);
});

test('amounts that were rejected are put right in the batch, and kept with it', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openImport(page);
	const rows = ['116 200.00-', 'abc', 'abc', 'about 5'].map((amount, at) => `7010;S-BK;RT-01;0${at + 2}.09.2026;Row;${amount}\n`).join('');
	await page.getByLabel('File to load').setInputFiles(csv('typos.csv', HEAD + rows));
	await page.getByRole('button', { name: 'Load 1 row' }).click();
	await page.getByText('Load good rows, leave 3 aside').click();
	await page.getByRole('button', { name: 'Load now' }).click();
	await expect(batchHeading(page)).toContainText('typos.csv');
	// For all rows that say the same; and one on its own line.
	await page.getByLabel('Read “abc” in Amount as').fill('12.00-');
	await page.getByText('The rows as they came', { exact: true }).click();
	await page.getByLabel('Amount of line 5').fill('5.00-');
	await page.keyboard.press('Tab');
	await page.getByRole('button', { name: 'Reload only the rejects, 2 put right' }).click();
	await expect(page.getByText('Put right while loading: Amount “abc” → “12.00-”, Amount “about 5” → “5.00-” (line 5).')).toBeVisible();
	await expect(page.getByRole('main').getByText('3 rows loaded,')).toBeVisible();
});
