import { expect, test, type Page } from '@playwright/test';
import { violations } from './axe';
import { ready, signIn, takeBackRuns } from './people';

/** The runbook of the demo that shares costs out, on its page. */
async function openSharing(page: Page): Promise<void> {
	await page.goto('/m/route-result/rules');
	await page.getByRole('link', { name: /Share costs to customers/ }).click();
	await page.waitForURL(/rules\/\d+/);
	await ready(page);
}
const run = async (page: Page) => {
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(page.getByRole('heading', { name: /^Run of/ })).toBeVisible();
};

test('pools that serve one another are checked, solved together, looked at as a flow, followed, cleared in part and taken back', async ({
	page
}) => {
	await signIn(page, 'maren.kvist');
	await openSharing(page);
	const steps = page.getByRole('list', { name: 'Steps' });
	await expect(steps).toContainText('Services to one another');
	await expect(steps.getByRole('listitem').filter({ hasText: 'Fleet office' }).first()).toContainText('Solved together with');

	// One list before anything is written, each line leading to its step.
	await page.getByRole('button', { name: 'Check', exact: true }).click();
	const found = page.getByRole('status', { name: 'Found before the run' });
	await expect(found).toContainText('Stranded in Jun 2027');
	await found.getByRole('button', { name: '4 Resources to activities' }).click();
	await expect(page.getByLabel('Name of the step')).toHaveValue('Resources to activities');

	await run(page);
	await page.getByRole('link', { name: 'Flow picture' }).click();
	await expect(page.getByRole('heading', { name: /^Flow of/ })).toBeVisible();
	const picture = page.getByRole('group', { name: 'Flow picture' });
	await expect(picture).toContainText('Data centre');
	await expect(picture).toContainText('Web, Visitors');
	// A month less than the year.
	const began = picture.getByRole('link', { name: /^Group services/ });
	const whole = await began.textContent();
	await page.getByLabel('Period').selectOption({ label: 'May 2027' });
	await expect(began).not.toHaveText(whole!);
	await page.getByText('As a table').click();
	await expect(page.getByRole('table', { name: 'Flows' }).getByRole('row').filter({ hasText: 'Fleet office' }).first()).toBeVisible();
	expect(await violations(page)).toEqual([]);
	const saved = page.waitForEvent('download');
	await page.getByRole('button', { name: 'SVG' }).click();
	expect((await saved).suggestedFilename()).toBe('Share costs to customers, flow.svg');
	// By keyboard: a name is reached and opens its trace.
	await picture.getByRole('link', { name: /^Booking systems/ }).focus();
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { name: /^Where .* comes from$/ })).toBeVisible();
	await expect(page.getByText('Data centre').first()).toBeVisible();
	await expect(page.getByText('Fleet office').first()).toBeVisible();

	// Two choices at once, then from what fleet care gave the crews down to the rows that were fetched from the group plan.
	await page.goBack();
	await ready(page);
	await page.getByLabel('Result item').selectOption({ label: 'Services bought' });
	await page.getByLabel('Period').selectOption({ label: 'Apr 2027' });
	const item = (await page.getByRole('option', { name: 'Services bought' }).getAttribute('value')) as string;
	await expect(page.getByLabel('Result item')).toHaveValue(item);
	// The picture follows after the address: its links say what they lead to.
	const workshop = picture.getByRole('link', { name: /^Workshop/ });
	const period = (await page.getByRole('option', { name: 'Apr 2027' }).getAttribute('value')) as string;
	await expect(workshop).toHaveAttribute('href', new RegExp(`members=(.*\\.)?${item}\\..*period=${period}`));
	await workshop.click();
	await expect(page.getByText('Services bought, Budget FY2028, Workshop, Apr 2027')).toBeVisible();
	await page
		.getByRole('button', { name: /Fleet care/ })
		.first()
		.click();
	await expect(page.getByRole('main').getByText('Costs of the group plan')).toBeVisible();
	await page.getByRole('button', { name: 'rows of the file' }).click();
	await expect(page.getByText(/6400 · .* · GBP$/).first()).toBeVisible();

	// The stages alone are cleared: what the pools gave one another stays.
	await openSharing(page);
	await page.getByLabel('What is looked at and run').selectOption({ label: 'The steps of “Down to customers”' });
	await page.getByRole('button', { name: 'Clear…' }).click();
	await expect(page.getByText(/Clearing the steps of “Down to customers” would change/)).toBeVisible();
	await page.getByRole('button', { name: 'Clear', exact: true }).click();
	await expect(page.getByText(/^4 of 6 steps: Cleared\./).first()).toBeVisible();

	// Both go back, the later one first.
	await takeBackRuns(page, 2);
});

test('the rules of a run are compared with those of today, and kept as a runbook of their own', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openSharing(page);
	await run(page);
	await page.getByLabel('Group', { exact: true }).fill('Back offices');
	await page.getByLabel('Group', { exact: true }).press('Tab');
	await page.getByLabel('Compare its rules with').selectOption({ label: 'those on this page' });
	const differences = page.getByRole('status', { name: 'Differences' });
	await expect(differences).toContainText('Data centre');
	await expect(differences).toContainText('Back offices');
	await page.getByRole('button', { name: 'Undo', exact: true }).click();
	await page.getByLabel('Compare its rules with').selectOption({ label: 'those on this page' });
	await expect(differences).toContainText('The rules are the same.');
	await page.getByRole('button', { name: 'Make a runbook of them' }).click();
	await expect(page.getByLabel('Name of the runbook')).toHaveValue(/^Share costs to customers, as of/);
	page.on('dialog', (dialog) => void dialog.accept());
	await page.getByRole('button', { name: 'Delete', exact: true }).click();
	await page.waitForURL(/rules$/);
	await openSharing(page);
	await takeBackRuns(page, 1);
});

test('settings are kept as a preset, followed, said otherwise by one step, and changed for all that follow', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await openSharing(page);
	await page.getByRole('list', { name: 'Steps' }).getByText('Activities to routes').click();
	const weighs = page.getByRole('combobox', { name: /^Where nothing weighs/ });
	await expect(page.getByText('from the preset').first()).toBeVisible();
	await weighs.selectOption('share evenly');
	await expect(page.getByText('its own, follow the preset')).toBeVisible();
	await page.getByRole('button', { name: 'Change it to these…' }).click();
	const following = page.getByRole('status', { name: 'Steps that follow the preset' });
	await expect(following).toContainText('4 steps follow it and would change:');
	await expect(following).toContainText('Bookings to resources');
	await following.getByRole('button', { name: 'Change all of them' }).click();
	await expect(following).toBeHidden();
	await expect(page.getByText(/is changed, and 3 other steps with it/)).toBeVisible();
	await page.getByRole('list', { name: 'Steps' }).getByText('Bookings to resources').click();
	await expect(weighs).toHaveValue('evenly');

	// Back as it was: one step says it itself and gives it back, then the preset is changed again.
	await weighs.selectOption('leave it stranded');
	await page.getByRole('button', { name: 'follow the preset' }).click();
	await expect(weighs).toHaveValue('evenly');
	await weighs.selectOption('leave it stranded');
	await page.getByRole('button', { name: 'Change it to these…' }).click();
	await following.getByRole('button', { name: 'Change all of them' }).click();
	await expect(following).toBeHidden();
	await expect(page.getByText(/is changed, and 3 other steps with it/)).toBeVisible();
	await page.reload();
	await ready(page);
	await page.getByRole('list', { name: 'Steps' }).getByText('Activities to routes').click();
	await expect(weighs).toHaveValue('stranded');
});
