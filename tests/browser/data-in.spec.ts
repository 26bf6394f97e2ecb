import { expect, test } from '@playwright/test';
import { choose, figureAt, openForm, ready, signIn, unfold } from './people';

test('an administrator reads the structure, loads the ledger, sees rejects, and the form has changed', async ({ page }) => {
	await signIn(page, 'maren.kvist');

	await page.getByRole('link', { name: 'Structure' }).click();
	await expect(page.getByRole('row', { name: /Voyage costs.*subtracts/ })).toBeVisible();
	await page.getByRole('link', { name: /^Scenario/ }).click();
	await expect(page.getByRole('row', { name: /Outlook FY2027.*2026-10.*2027-03/ })).toBeVisible();
	await page.getByRole('link', { name: 'Calendar' }).click();
	await expect(page.getByText('the fiscal year begins in April and is named by its last year')).toBeVisible();
	await page.getByRole('link', { name: 'Currencies and rates' }).click();
	await expect(page.getByRole('region', { name: 'Budget rates FY2028' })).toContainText('NOK');

	const showActual = async () => {
		await openForm(page, 'route-contribution');
		await choose(page, 'Line', 'Brinewater group');
		await choose(page, 'Scenario', 'Actual');
		await choose(page, 'Version', 'Final');
		await choose(page, 'Year', 'FY2027');
	};
	await showActual();
	expect(await figureAt(page, 'Revenue', 'Sep')).toBeUndefined();
	const yearBefore = (await figureAt(page, 'Revenue', 'FY2027'))!;

	await page.getByRole('link', { name: 'Data in' }).click();
	await page.getByRole('link', { name: /Ledger, monthly/ }).click();
	await ready(page);
	await page.getByLabel('File to load').setInputFiles('demo/files/ledger-2026-09.csv');
	await expect(page.getByRole('heading', { name: 'Batch 1: ledger-2026-09.csv' })).toBeVisible();
	const batches = page.getByRole('region', { name: 'Batches' });
	await expect(batches).toContainText('Account: no member for “5305”.');
	await expect(batches).toContainText('line 41, 252, 463');
	await expect(batches).toContainText('“31.09.2026” is not a date written DD.MM.YYYY.');
	await expect(batches).toContainText('replaced Actual, Sep 2026');

	await showActual();
	const september = (await figureAt(page, 'Revenue', 'Sep'))!;
	expect(september).toBeGreaterThan(1_000_000);
	expect((await figureAt(page, 'Revenue', 'FY2027'))! - yearBefore).toBeCloseTo(september, -1);

	// The same file again changes nothing: it replaces what it loaded.
	await page.goto('/data-in/ledger');
	await ready(page);
	await page.getByLabel('File to load').setInputFiles('demo/files/ledger-2026-09.csv');
	await expect(page.getByRole('heading', { name: 'Batch 2: ledger-2026-09.csv' })).toBeVisible();
	await expect(page.getByRole('region', { name: 'Batches' })).toContainText('nothing was written');
	await showActual();
	expect(await figureAt(page, 'Revenue', 'Sep')).toBe(september);

	// A corrected file takes back what the first one had and it has not.
	await page.goto('/data-in/ledger');
	await ready(page);
	await page.getByLabel('File to load').setInputFiles({
		name: 'corrected.csv',
		mimeType: 'text/csv',
		buffer: Buffer.from('Account;Unit;Route;Posting date;Text;Amount\n7010;S-BK;RT-01;02.09.2026;Corrected;116 200.00-\n')
	});
	await expect(page.getByRole('heading', { name: 'Batch 3: corrected.csv' })).toBeVisible();
	await openForm(page, 'route-contribution');
	await choose(page, 'Line', 'Skerry Line');
	await choose(page, 'In', 'local currency');
	await choose(page, 'Scenario', 'Actual');
	await choose(page, 'Version', 'Final');
	await choose(page, 'Year', 'FY2027');
	await unfold(page, 'Revenue', 'Ticket revenue');
	expect(await figureAt(page, 'Foot passengers', 'Sep')).toBe(116_200);
	expect(await figureAt(page, 'Revenue', 'Sep')).toBe(116_200);
});

test.describe('a file that cannot be loaded', () => {
	const head = 'Account;Unit;Route;Posting date;Text;Amount\n';
	for (const [name, content, message] of [
		['lacks a column', 'Account;Unit;Route;Text;Amount\n', 'The file has no column “Posting date”'],
		['has another delimiter', head.replaceAll(';', ','), 'this import expects “;” between columns'],
		['has another encoding', Buffer.from(`${head}7010;S-BK;RT-01;02.09.2026;Fähre;5\n`, 'latin1'), 'not written in UTF-8'],
		['has no rows', head, 'has headings but no rows'],
		['reaches into a closed month', `${head}7010;S-BK;RT-01;02.08.2026;Late;5\n`, 'Actual to August 2026 is closed']
	] as const)
		test(`because it ${name} says so and writes nothing`, async ({ page }) => {
			await signIn(page, 'maren.kvist');
			await page.goto('/data-in/ledger');
			await ready(page);
			const batches = await page.getByRole('region', { name: 'Batches' }).getByRole('listitem').count();
			await page.getByLabel('File to load').setInputFiles({ name: 'bad.csv', mimeType: 'text/csv', buffer: Buffer.from(content) });
			await expect(page.getByRole('alert')).toContainText(message);
			await page.reload();
			await ready(page);
			expect(await page.getByRole('region', { name: 'Batches' }).getByRole('listitem').count()).toBe(batches);
		});

	test('because it has 300 MB is refused, by the page and by the server', async ({ page, request }) => {
		await signIn(page, 'maren.kvist');
		await page.goto('/data-in/ledger');
		await ready(page);
		await page.evaluate(() => {
			const transfer = new DataTransfer();
			transfer.items.add(new File([new Uint8Array(300 * 1024 * 1024)], 'huge.csv'));
			const picker = document.querySelector<HTMLInputElement>('input[type=file]')!;
			picker.files = transfer.files;
			picker.dispatchEvent(new Event('change', { bubbles: true }));
		});
		await expect(page.getByRole('alert')).toContainText('huge.csv is 300 MB; the limit is 64 MB.');
		const cookies = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
		const origin = new URL(page.url()).origin;
		const answer = await request.post('/api/imports/ledger/load?name=big.csv', {
			headers: { cookie: cookies, origin, 'content-type': 'text/csv' },
			data: Buffer.alloc(66 * 1024 * 1024, '1;2;3\n')
		});
		expect(answer.status()).toBe(413);
		expect(((await answer.json()) as { message: string }).message).toContain('larger than 64 MB');
	});
});
