import { expect, test, type Page } from '@playwright/test';
import { another, choose, figureAt, openForm, ready, signIn, takeBackRuns } from './people';

const step = (page: Page, name: string) => page.getByRole('list', { name: 'Steps' }).getByText(name, { exact: true });
const write = async (page: Page, text: string) => {
	const editor = page.locator('.cm-content');
	await editor.click();
	await page.keyboard.press('Control+a');
	// Pasted as one piece: typed, the editor would close brackets by itself.
	await page.keyboard.insertText(text);
};

test('an administrator writes a runbook, mends what is wrong, previews, runs it twice and takes it back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.getByRole('link', { name: 'Rules' }).click();
	await page.getByRole('button', { name: 'New runbook' }).click();
	await page.getByLabel('Name', { exact: true }).fill('Twice the coaches');
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByText('This runbook has no step yet.')).toBeVisible();

	// A parameter, then a formula that names it.
	await page.getByRole('tab', { name: 'Settings' }).click();
	await page.getByRole('button', { name: 'Ask for something' }).click();
	await page.getByLabel('Called').fill('Factor');
	await page.getByLabel('In scripts $').fill('factor');
	await page.getByLabel('In scripts $').press('Tab');
	await page.getByRole('tab', { name: 'Run' }).click();
	await page.getByRole('button', { name: '+ Formula' }).click();
	await page.getByLabel('Name of the step').fill('Coaches');
	await write(
		page,
		'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Coaches = Coachs{Scenario: "Budget FY2028"} * $factor'
	);
	await expect(page.getByRole('status').filter({ hasText: 'One fault' })).toBeVisible();
	await page.locator('.cm-lint-marker-error').hover();
	await expect(page.locator('.cm-tooltip-lint')).toContainText('more was expected');
	await write(
		page,
		'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Coaches = Coachs{Scenario: "Budget FY2028"} * $factor\nend'
	);
	await expect(async () => {
		await page.locator('.cm-lint-marker-error').hover({ timeout: 500 });
		await expect(page.locator('.cm-tooltip-lint')).toContainText('Did you mean “Coaches”?', { timeout: 1_000 });
	}).toPass();
	// A fault elsewhere stays while one writes another line, and goes when it is mended.
	await page.keyboard.press('Control+End');
	await page.keyboard.type('\nSailings = Sailngs');
	await expect(page.getByRole('status').filter({ hasText: '2 faults' })).toBeVisible();
	for (let typed = 0; typed < 3; typed++) await page.keyboard.press('Backspace');
	await page.keyboard.insertText('ings');
	await expect(page.getByRole('status').filter({ hasText: 'One fault' })).toBeVisible();
	await page.keyboard.press('Control+s');
	await expect(page.getByRole('status').filter({ hasText: 'to be mended' })).toBeVisible();
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(page.locator('main [role=alert]')).toContainText('Coaches: ');

	await write(
		page,
		'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Coaches = Coaches{Scenario: "Budget FY2028"} * $factor\nend'
	);
	await expect(page.getByRole('status').filter({ hasText: 'No faults' })).toBeVisible();
	// A choice left empty is said, and nothing runs.
	await page.getByRole('button', { name: 'Preview' }).click();
	await expect(page.locator('main [role=alert]')).toContainText('Choose Factor');
	await page.getByLabel('Factor').fill('2');
	await page.getByLabel('Factor').press('Tab');
	await page.getByRole('button', { name: 'Preview' }).click();
	await expect(page.getByText(/A run would change [\d,]+ cells/)).toBeVisible();
	await page.getByRole('button', { name: 'Save and run' }).click();
	await expect(
		page
			.getByRole('status')
			.filter({ hasText: /cells changed/ })
			.first()
	).toBeVisible();
	await expect(page.getByRole('heading', { name: /^Run of/ })).toBeVisible();
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Nothing changed' })).toBeVisible();

	// Answers are remembered; the first run goes back whole.
	await page.reload();
	await ready(page);
	await expect(page.getByLabel('Factor')).toHaveValue('2');
	await page.getByRole('button', { name: /cells changed/ }).click();
	await page.getByRole('button', { name: 'Take back this run' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'is taken back' })).toBeVisible();
	await page.getByRole('link', { name: 'Rules' }).first().click();
	await expect(page.getByRole('link', { name: 'Twice the coaches' })).toBeVisible();
});

test('steps are moved, duplicated, switched off and taken away, by mouse and keyboard, and undone', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/rules');
	await ready(page);
	await page.getByRole('link', { name: 'Open the stretch plan' }).click();
	const names = () => page.getByRole('list', { name: 'Steps' }).locator('li strong').allInnerTexts();
	await expect.poll(names).toEqual(['Volumes by last year’s season', 'Running costs in twelfths', 'Berth hire as it was']);
	await step(page, 'Berth hire as it was').click();
	await page.getByRole('button', { name: 'Move earlier' }).click();
	await expect.poll(names).toEqual(['Volumes by last year’s season', 'Berth hire as it was', 'Running costs in twelfths']);
	await page.getByRole('button', { name: 'Duplicate the step' }).click();
	await page.getByLabel('runs with the others').uncheck();
	await expect(page.getByText('Switched off')).toBeVisible();
	await page.getByRole('button', { name: 'Take the step away' }).click();
	for (let back = 0; back < 4; back++) await page.getByRole('button', { name: 'Undo' }).click();
	await expect.poll(names).toEqual(['Volumes by last year’s season', 'Running costs in twelfths', 'Berth hire as it was']);
	await expect(page.getByRole('button', { name: 'Save', exact: true })).toBeDisabled();
	// By keyboard: taken up, moved, put down.
	await page.getByRole('list', { name: 'Steps' }).locator('li').nth(0).focus();
	await page.keyboard.press('Enter');
	await page.keyboard.press('ArrowDown');
	await page.keyboard.press('Enter');
	await expect.poll(async () => (await names())[1]).toBe('Volumes by last year’s season');
	await page.getByRole('button', { name: 'Undo' }).click();
	await page.goto('/rules');
	await ready(page);
	await page.getByRole('button', { name: 'Check them all' }).click();
	await expect(page.getByRole('status', { name: 'What was found' })).toBeVisible();
});

test('of two people writing one runbook the second is told, and those without the right see no rules', async ({ page, browser }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/rules/3');
	await ready(page);
	const other = await another(browser, 'osric.hale');
	await other.goto('/rules/3');
	await ready(other);
	await other.getByLabel('What the runbook is for').fill('Changed by Osric');
	await other.getByRole('button', { name: 'Save', exact: true }).click();
	await expect(other.getByRole('status').filter({ hasText: 'Saved' })).toBeVisible();
	await page.getByLabel('What the runbook is for').fill('Changed by Maren');
	await page.getByRole('button', { name: 'Save', exact: true }).click();
	await expect(page.getByText('changed this runbook meanwhile')).toBeVisible();
	await expect(page.getByLabel('What the runbook is for')).toHaveValue('Changed by Maren');
	await other.context().close();
	const planner = await another(browser, 'tove.brandal');
	await expect(planner.getByRole('link', { name: 'Rules' })).toHaveCount(0);
	await planner.goto('/rules');
	await expect(planner.getByText('Your role does not let you')).toBeVisible();
	await planner.context().close();
});

test('a planner runs a runbook by the form’s button, is asked what the form does not say, and takes it back', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'route-contribution');
	await choose(page, 'Scenario', 'Stretch plan FY2028–29');
	await choose(page, 'Year', 'FY2029');
	const before = await figureAt(page, 'Sailings', 'Apr');
	await page.getByRole('group', { name: 'Runbooks of this form' }).getByRole('button', { name: 'Open the stretch plan' }).click();
	const questions = page.getByRole('form', { name: 'Open the stretch plan' });
	await questions.getByLabel('Growth on the last full year').fill('50');
	// Tried first: the figures are shown as they would be, and nothing is written.
	await questions.getByRole('button', { name: 'Try it' }).click();
	const tried = page.getByRole('status').filter({ hasText: 'Open the stretch plan” would leave them' });
	await expect(tried).toBeVisible({ timeout: 20_000 });
	await expect.poll(() => figureAt(page, 'Sailings', 'Apr')).not.toBe(before);
	const wouldBe = await figureAt(page, 'Sailings', 'Apr');
	await expect(page.locator('td.tried').first()).toBeVisible();
	await page.reload();
	await choose(page, 'Scenario', 'Stretch plan FY2028–29');
	await choose(page, 'Year', 'FY2029');
	await expect.poll(() => figureAt(page, 'Sailings', 'Apr')).toBe(wouldBe);
	await tried.getByRole('button', { name: 'Stop trying it' }).click();
	await expect.poll(() => figureAt(page, 'Sailings', 'Apr')).toBe(before);
	await page.getByRole('group', { name: 'Runbooks of this form' }).getByRole('button', { name: 'Open the stretch plan' }).click();
	await questions.getByLabel('Growth on the last full year').fill('50');
	await questions.getByRole('button', { name: 'Try it' }).click();
	await tried.getByRole('button', { name: 'Run it' }).click();
	// Of the other lines, hers to read only, nothing is written: they are counted.
	await expect(page.getByRole('status').filter({ hasText: /cells changed\..*could not be written/ })).toBeVisible({ timeout: 20_000 });
	await expect.poll(() => figureAt(page, 'Sailings', 'Apr')).toBe(wouldBe);
	await page.getByRole('button', { name: 'Take it back' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'is taken back' })).toBeVisible();
	await expect.poll(() => figureAt(page, 'Sailings', 'Apr')).toBe(before);
});

test('costs are shared out in two stages, what is stranded is found and repaired, tied out, traced to a load, and taken back', async ({
	page
}) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/route-result/rules');
	await page.getByRole('button', { name: 'New runbook' }).click();
	await page.getByLabel('Name', { exact: true }).fill('Crews to routes');
	await page.getByRole('button', { name: 'Make it' }).click();
	await page.waitForURL(/rules\/\d+/);
	await ready(page);

	/** Names members of a dimension in a slice, by finding them. */
	const name = async (title: string, dimension: string, ...members: string[]) => {
		await page.getByLabel(`${title}: name a dimension`).selectOption({ label: dimension });
		const slice = page.getByRole('group', { name: title, exact: true });
		for (const member of members) {
			await slice.getByRole('combobox', { name: 'Find a member to take' }).fill(member);
			await slice.getByRole('option', { name: member }).first().click();
		}
		await slice.getByRole('button', { name: 'Done' }).click();
	};
	await page.getByRole('button', { name: '+ Allocation' }).click();
	await page.getByLabel('Name of the step').fill('Services to crews');
	await name('Pool', 'Result item', 'Costs');
	await name('Pool', 'Object', 'Group services');
	await name('Receivers', 'Object', 'Crew hours');
	await name('Writes only in', 'Scenario', 'Budget FY2028');
	const look = page.getByRole('region', { name: 'How it would go' });
	await expect(look.getByRole('status')).toContainText('in the pool');
	await expect(look).toContainText('Crew hours');

	await page.getByRole('button', { name: '+ Allocation' }).click();
	await page.getByLabel('Name of the step').fill('Crews to activities');
	await name('Pool', 'Result item', 'Costs');
	await name('Pool', 'Object', 'Crew hours');
	await name('Receivers', 'Object', 'Activities');
	await name('Writes only in', 'Scenario', 'Budget FY2028');
	await page.getByLabel('Basis of Line 1').selectOption('by a driver');
	await page.getByLabel('Driver', { exact: true }).selectOption({ label: 'Surveyed hours' });
	await expect(look).toContainText('in Jun 2027 stranded. Nothing weighs the receivers.');

	await page.getByRole('button', { name: 'Save and run' }).click();
	await expect(page.getByRole('heading', { name: /^Run of/ })).toBeVisible();
	await page.getByRole('link', { name: 'Tie-out' }).click();
	const proof = page.getByRole('table', { name: 'Tie-out' });
	await expect(proof.getByRole('row').filter({ hasText: 'Services to crews' })).toContainText('yes');
	await expect(proof.getByRole('row').filter({ hasText: 'Crews to activities' })).toContainText('not yet');
	await expect(page.getByRole('table', { name: 'Stranded' })).toContainText('Jun 2027');

	// The survey is filled in, and all of it ties.
	await page.goto('/m/route-result/forms/hours-survey');
	await ready(page);
	await choose(page, 'Year', 'FY2028');
	await choose(page, 'Scenario', 'Budget FY2028');
	const hours = page.getByRole('row', { name: /Sailing/ }).locator('[aria-colindex="4"]');
	await hours.click();
	await page.keyboard.type('5800');
	await page.keyboard.press('Enter');
	await page.getByRole('button', { name: /^Save/ }).first().click();
	await expect(page.getByRole('contentinfo').or(page.locator('footer'))).toContainText(/Survey of hours/);
	await page.goto('/m/route-result/rules');
	await page.getByRole('link', { name: /Crews to routes/ }).click();
	await ready(page);
	await page.getByRole('button', { name: 'Run', exact: true }).click();
	await expect(page.getByRole('heading', { name: /^Run of/ })).toBeVisible();
	await page.getByRole('link', { name: 'Tie-out' }).click();
	await expect(proof.getByRole('row').filter({ hasText: 'Crews to activities' })).toContainText('yes');

	// From a figure in a form back to what was loaded.
	await page.goto('/m/route-result/forms/costs-by-stage');
	await ready(page);
	await page
		.getByRole('row', { name: /Boarding/ })
		.locator('[aria-colindex="3"]')
		.click();
	await page.getByRole('button', { name: 'Details' }).click();
	await page.getByRole('link', { name: 'Trace where it comes from' }).click();
	await expect(page.getByRole('heading', { name: /^Where .* comes from$/ })).toBeVisible();
	await page
		.getByRole('button', { name: /Crew hours.* comes from$/ })
		.first()
		.click();
	await page
		.getByRole('button', { name: /Group services.* comes from$/ })
		.first()
		.click();
	await expect(page.getByText('loaded')).toBeVisible();
	await expect(page.getByRole('main').getByText('Costs of the group plan')).toBeVisible();

	await page.goto('/m/route-result/rules');
	await page.getByRole('link', { name: /Crews to routes/ }).click();
	await ready(page);
	// The later one first; each leaves the list of those that stand.
	await takeBackRuns(page, 2);
});
