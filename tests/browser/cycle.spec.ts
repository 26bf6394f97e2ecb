import { expect, test, type Page } from '@playwright/test';
import { violations } from './axe';
import { another, ready, signIn } from './people';

const unit = (page: Page, name: RegExp) => page.getByRole('treegrid', { name: 'Units' }).getByRole('row', { name });
const panel = (page: Page) => page.getByRole('complementary', { name: 'Unit' });

/** A round over two lines, from its definition to its start. */
async function startRound(page: Page): Promise<string> {
	await page.goto('/m/group/cycle/new');
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill('Outlook round');
	await page.getByLabel('Scenario').selectOption('Outlook FY2027');
	await expect(page.getByText('1 without an owner')).toBeVisible();
	await page.getByLabel('Owner of Brinewater group').selectOption('Osric Hale');
	await page.getByLabel('Reviewer of Brinewater group').selectOption('Maren Kvist');
	for (const line of ['Amber Coast Line', 'Group services']) await page.getByRole('button', { name: `Leave out ${line}` }).click();
	await expect(page.getByRole('button', { name: 'Start it for 3 units' })).toBeEnabled();
	// The lines were due yesterday: one is late from the beginning.
	const yesterday = new Date(Date.now() - 86_400_000).toISOString().slice(0, 10);
	await page.getByLabel(/^Northgate Line, Skerry Line due/).fill(yesterday);
	await page.getByLabel('Crew and terminal pay').check();
	await page.getByLabel('A check of these forms that does not hold').selectOption('warns');
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Start it for 3 units' }).click();
	await page.waitForURL(/\/cycle\/\d+$/);
	await ready(page);
	return new URL(page.url()).pathname;
}

test('four people take a round from its start to the approved top: one return, one late', async ({ page: osric, browser }) => {
	await signIn(osric, 'osric.hale');
	const address = await startRound(osric);
	await expect(unit(osric, /Northgate Line/)).toContainText('1 day late');
	await expect(unit(osric, /Brinewater group/)).not.toContainText('late');

	// What waits stands on the desk, and leads there.
	const imke = await another(browser, 'imke.solberg');
	await expect(imke.getByRole('link', { name: /Northgate Line is yours to fill, Outlook round/ })).toBeVisible();
	await imke.getByRole('link', { name: /Northgate Line is yours to fill, Outlook round/ }).click();
	await ready(imke);
	await expect(panel(imke)).toContainText('not started');
	await expect(panel(imke)).toContainText('1 day late');
	await panel(imke).getByRole('button', { name: 'Submit for review…' }).click();
	await panel(imke).getByLabel('Note').fill('as in the forms');
	await panel(imke).getByRole('button', { name: 'Submit for review' }).click();
	await expect(imke.getByRole('status').filter({ hasText: 'Northgate Line is submitted.' })).toBeVisible();
	expect(await violations(imke)).toEqual([]);

	// Its reviewer returns it with a note; the owner reads it and submits again.
	const runa = await another(browser, 'runa.eskild');
	await runa.goto(address);
	await ready(runa);
	await runa.getByRole('button', { name: 'To review' }).click();
	await unit(runa, /Northgate Line/).click();
	await panel(runa).getByRole('button', { name: 'Return…' }).click();
	await expect(panel(runa).getByRole('button', { name: 'Return', exact: true })).toBeDisabled();
	await panel(runa).getByLabel('Note').fill('two sailings fewer in winter');
	await panel(runa).getByRole('button', { name: 'Return', exact: true }).click();
	await expect(runa.getByRole('status').filter({ hasText: 'Northgate Line is returned.' })).toBeVisible();
	await imke.reload();
	await ready(imke);
	await expect(panel(imke)).toContainText('“two sailings fewer in winter”');
	await panel(imke).getByRole('button', { name: 'Submit for review…' }).click();
	await panel(imke).getByRole('button', { name: 'Submit for review' }).click();
	await expect(panel(imke)).toContainText('submitted');

	// Held: its owner cannot type any more, and is told why.
	await imke.goto('/m/group/forms/crew-and-terminal-pay');
	await ready(imke);

	const tove = await another(browser, 'tove.brandal');
	await tove.goto(address);
	await ready(tove);
	await unit(tove, /Skerry Line/).click();
	await panel(tove).getByRole('button', { name: 'Submit for review…' }).click();
	await panel(tove).getByRole('button', { name: 'Submit for review' }).click();
	await expect(panel(tove)).toContainText('submitted');

	// Both are approved at once.
	await runa.reload();
	await ready(runa);
	await unit(runa, /Northgate Line/).click();
	await unit(runa, /Skerry Line/).click({ modifiers: ['Control'] });
	await panel(runa).getByRole('button', { name: 'Approve' }).click();
	await expect(runa.getByRole('status').filter({ hasText: '2 units: are approved.' })).toBeVisible();

	// The top completes after those beneath it.
	await osric.reload();
	await ready(osric);
	await unit(osric, /Brinewater group/).click();
	await panel(osric).getByRole('button', { name: 'Submit for review…' }).click();
	await panel(osric).getByRole('button', { name: 'Submit for review' }).click();
	await expect(panel(osric)).toContainText('submitted');
	const maren = await another(browser, 'maren.kvist');
	await maren.goto(address);
	await ready(maren);
	await unit(maren, /Brinewater group/).click();
	await panel(maren).getByRole('button', { name: 'Approve' }).click();
	await expect(panel(maren)).toContainText('approved');
	await expect(maren.getByText('3 units, 3 approved')).toBeVisible();

	// Opened again, it says what goes back with it.
	await unit(maren, /Skerry Line/).click();
	await panel(maren).getByRole('button', { name: 'Open again…' }).click();
	await expect(panel(maren)).toContainText('It brings back Brinewater group, above it.');
	await panel(maren).getByLabel('Note').fill('a ferry less');
	await panel(maren).getByRole('button', { name: 'Open again', exact: true }).click();
	await expect(maren.getByRole('status').filter({ hasText: 'It brought back Brinewater group.' })).toBeVisible();
	expect(await violations(maren)).toEqual([]);

	await maren.goto('/m/group/cycle/messages');
	await ready(maren);
	await maren.getByRole('button', { name: 'Everybody’s' }).click();
	await expect(maren.getByRole('list', { name: 'Messages' })).toContainText('Outlook round: Northgate Line came back from Runa Eskild');
	expect(await violations(maren)).toEqual([]);
	// Ended, it leaves the demo as it was.
	await osric.reload();
	await ready(osric);
	await osric.getByRole('button', { name: 'End the round' }).click();
	await osric.getByRole('button', { name: 'End it and leave them open' }).click();
	await expect(osric.getByText('· ended')).toBeVisible();
});
