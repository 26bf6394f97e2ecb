import { expect, test, type Page } from '@playwright/test';
import { choose, figureAt, openForm, ready, signIn, unfold } from './people';

const inside = (page: Page) => page.getByRole('list', { name: 'Inside' });
const tools = (page: Page) => page.getByRole('group', { name: 'The picked part' });
const part = (page: Page, name: string) => page.getByRole('button', { name, exact: true }).and(page.locator('[aria-pressed]'));
const comment = (page: Page) => page.getByRole('textbox', { name: 'Comment', exact: true });
const add = (page: Page, list: string, what: string) =>
	page
		.getByRole('group', { name: `Add to ${list}` })
		.getByRole('button', { name: `+ ${what}` })
		.click();
const scriptText = (page: Page) => page.locator('.cm-content').evaluate((content) => (content as HTMLElement).innerText.replace(/\n$/, ''));

/** A new runbook with one formula step, shown as cards. */
async function newCards(page: Page, name: string): Promise<void> {
	await page.goto('/rules');
	await ready(page);
	await page.getByRole('button', { name: 'New runbook' }).click();
	await page.getByLabel('Name', { exact: true }).fill(name);
	await page.getByRole('button', { name: 'Make it' }).click();
	await expect(page.getByText('This runbook has no step yet.')).toBeVisible();
	await page.getByRole('button', { name: '+ Formula' }).click();
	await page.getByRole('radio', { name: 'Cards' }).click();
}

test('a roll-forward is built with cards, read as text, run by a form’s button with what it asks for, and taken back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await newCards(page, 'Loans grow with creditors');
	await page.getByRole('tab', { name: 'Settings' }).click();
	await page.getByRole('button', { name: 'Ask for something' }).click();
	await page.getByLabel('Called').fill('Part that is borrowed');
	await page.getByLabel('In scripts $').fill('part');
	await page.getByLabel('In scripts $').press('Tab');

	// Only for the working version of the stretch plan.
	await add(page, 'Script of Formula', 'Only for…');
	await page.getByRole('button', { name: /^Scenario/ }).click();
	await page
		.getByRole('group', { name: 'Only for', exact: true })
		.getByLabel('Member', { exact: true })
		.selectOption({ label: 'Stretch plan FY2028–29' });
	await page.getByLabel('Narrow to a dimension').selectOption({ label: 'Version' });
	await page
		.getByRole('group', { name: 'Only for', exact: true })
		.getByLabel('Member', { exact: true })
		.selectOption({ label: 'Proposal' });
	await expect(page.getByRole('button', { name: 'Version Proposal' })).toBeVisible();

	// Loans = Loans of the month before + Creditors of the final version × what is asked.
	await page
		.getByRole('group', { name: /^Add to Inside/ })
		.getByRole('button', { name: '+ Assignment' })
		.click();
	await page.getByLabel('Account that is written').selectOption({ label: 'Loans' });
	await part(page, 'Foot passengers month before').click();
	await tools(page).getByLabel('Account', { exact: true }).selectOption({ label: 'Loans' });
	await tools(page).getByLabel('Join it with another part').selectOption({ label: 'plus' });
	await part(page, '0').click();
	await tools(page).getByRole('combobox', { name: 'Is', exact: true }).selectOption({ label: 'an account' });
	await tools(page).getByLabel('Account', { exact: true }).selectOption({ label: 'Creditors' });
	await tools(page).getByLabel('Read it elsewhere').selectOption({ label: 'at a member of Version' });
	await tools(page).getByLabel('Where in Version').selectOption({ label: 'Agreed' });
	await expect(part(page, 'Creditors Agreed')).toBeVisible();
	await tools(page).getByLabel('Join it with another part').selectOption({ label: 'times' });
	await part(page, '0').click();
	await tools(page).getByRole('combobox', { name: 'Is', exact: true }).selectOption({ label: 'what is asked' });
	await add(page, 'Script of Formula', 'Comment');
	await comment(page).fill('Nothing is paid back in these years.');
	await comment(page).press('Enter');
	await expect(page.getByRole('status').filter({ hasText: 'No faults' })).toBeVisible();

	// The same as text; what is written there is on the card.
	await page.getByRole('radio', { name: 'Text' }).click();
	expect(await scriptText(page)).toBe(
		[
			'within Scenario: "Stretch plan FY2028–29", Version: Proposal',
			'  Loans = Loans{Month - 1} + Creditors{Version: Agreed} * $part',
			'end',
			'-- Nothing is paid back in these years.'
		].join('\n')
	);
	await page.locator('.cm-content').click();
	await page.keyboard.press('Control+End');
	await page.keyboard.press('End');
	await page.keyboard.insertText('\n-- As agreed.');
	await page.getByRole('radio', { name: 'Cards' }).click();
	await expect(comment(page)).toHaveCount(2);
	await expect(comment(page).last()).toHaveValue('As agreed.');
	await page.keyboard.press('Control+s');
	await expect(page.getByRole('status').filter({ hasText: 'Nothing stands in the way' })).toBeVisible();

	// A button on a form.
	await page.goto('/forms/net-assets/design');
	await ready(page);
	await page.getByRole('button', { name: 'Settings' }).click();
	await page.getByRole('button', { name: 'Run a runbook from this form' }).click();
	await page.getByLabel('Runbook 1', { exact: true }).selectOption({ label: 'Loans grow with creditors' });
	await page.getByLabel('Words on the button of runbook 1').fill('Let loans grow');
	await page.getByRole('button', { name: 'Publish' }).click();
	await expect(page.getByText(/Published as version/)).toBeVisible();
	await openForm(page, 'net-assets');
	await choose(page, 'Scenario', 'Stretch plan FY2028–29');
	await choose(page, 'Year', 'FY2028');
	await choose(page, 'In', 'local currency');
	await unfold(page, 'Debt');
	await choose(page, 'Version', 'Agreed');
	const creditors = (await figureAt(page, 'Creditors', 'May'))!;
	await choose(page, 'Version', 'Proposal');
	const april = (await figureAt(page, 'Loans', 'Apr'))!;
	await page.getByRole('button', { name: 'Let loans grow' }).click();
	const questions = page.getByRole('form', { name: 'Let loans grow' });
	await questions.getByLabel('Part that is borrowed').fill('0.5');
	await questions.getByRole('button', { name: 'Run it' }).click();
	await expect(page.getByRole('status').filter({ hasText: /cells changed/ })).toBeVisible({ timeout: 20_000 });
	// In place of what was loaded: what the month before ends with, and half of the creditors.
	await expect.poll(() => figureAt(page, 'Loans', 'Apr')).not.toBe(april);
	const carried = (await figureAt(page, 'Loans', 'Apr'))!;
	expect(await figureAt(page, 'Loans', 'May')).toBeCloseTo(carried + creditors / 2, -1);
	await page.getByRole('button', { name: 'Take it back' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'is taken back' })).toBeVisible();
	await expect.poll(() => figureAt(page, 'Loans', 'Apr')).toBe(april);

	// The form as it was.
	await page.goto('/forms/net-assets/design');
	await ready(page);
	await page.getByRole('button', { name: 'Settings' }).click();
	await page.getByRole('button', { name: 'Take runbook 1 off the form' }).click();
	await page.getByRole('button', { name: 'Publish' }).click();
	await expect(page.getByText(/Published as version/)).toBeVisible();
});

test('cards: conditions, brackets, moving and taking away, a fault on its card, and text that cannot be shown', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await newCards(page, 'Conditions by cards');
	await add(page, 'Script of Formula', 'Assignment');
	await part(page, 'Foot passengers month before').click();
	await tools(page).getByRole('button', { name: 'Only when…' }).click();
	// The condition is picked: members instead of a comparison.
	await tools(page).getByRole('combobox', { name: 'A condition that' }).selectOption({ label: 'asks for some members' });
	await tools(page).getByRole('combobox', { name: 'Looks at', exact: true }).selectOption({ label: 'Route' });
	await tools(page).getByRole('combobox', { name: 'Members', exact: true }).selectOption({ label: 'the leaves of' });
	// Another selection of the same test, changed by itself, and taken away again.
	await tools(page).getByRole('button', { name: 'Or for…' }).click();
	const second = tools(page).getByRole('group', { name: 'Members that are asked for, 2' });
	await second.getByLabel('Member', { exact: true }).selectOption({ label: 'Skerrivik – Holmness' });
	await expect(page.getByRole('button', { name: 'is one of leaves of All routes, Skerrivik – Holmness' })).toBeVisible();
	await tools(page).getByRole('button', { name: 'Ask no more for Skerrivik – Holmness' }).click();
	await expect(second).toHaveCount(0);
	await tools(page).getByLabel('Join it with another part').selectOption({ label: 'and another condition' });
	await part(page, 'when').click();
	await tools(page).getByRole('button', { name: 'Otherwise…' }).click();
	await add(page, 'Script of Formula', 'Named part');
	await page.getByLabel('Name of the part').fill('uplift');
	await page.getByLabel('Name of the part').press('Enter');
	await page.getByRole('button', { name: 'Move the named part up' }).click();
	// What is written goes to one member; the month after all to wherever the scope says.
	await page.getByRole('button', { name: 'Written wherever the scope says; write it at one place' }).click();
	const where = page.getByRole('group', { name: 'Where it is written' });
	await where.getByLabel('Write it at one place').selectOption({ label: 'at a member of Version' });
	await where.getByLabel('Where in Version').selectOption({ label: 'Agreed' });
	await where.getByLabel('Write it at one place').selectOption({ label: 'at a member of Period' });
	await where.getByRole('button', { name: /^Write it wherever the scope says instead of Apr/ }).click();
	await expect(page.getByRole('button', { name: 'Written at Agreed' })).toBeVisible();
	await page.getByRole('radio', { name: 'Text' }).click();
	expect(await scriptText(page)).toBe(
		[
			'let uplift = 0',
			'"Foot passengers"{Version: Agreed} = when Route in (leaves of "All routes") and "Foot passengers"{Month - 1} > 0 then "Foot passengers"{Month - 1} else 0'
		].join('\n')
	);

	// What cannot be read says so, with its line, and loses nothing.
	await page.locator('.cm-content').click();
	await page.keyboard.press('Control+End');
	await page.keyboard.insertText(' +');
	await page.getByRole('radio', { name: 'Cards' }).click();
	await expect(page.getByText(/^Line 2: .*Mend it in the text/)).toBeVisible();
	await page.getByRole('radio', { name: 'Text' }).click();
	expect(await scriptText(page)).toMatch(/ else 0 \+$/);
	await page.locator('.cm-content').click();
	await page.keyboard.press('Control+End');
	await page.keyboard.press('Backspace');
	await page.keyboard.insertText('* Sailngs');
	await page.getByRole('radio', { name: 'Cards' }).click();
	await expect(page.getByText('Did you mean “Sailings”?')).toBeVisible();
	await expect(page.getByRole('status').filter({ hasText: 'One fault' })).toBeVisible();
	await part(page, 'Sailngs').click();
	await tools(page).getByRole('button', { name: 'Delete' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'No faults' })).toBeVisible();
	await page.getByRole('button', { name: 'Take the named part away' }).click();
	await expect(page.getByLabel('Name of the part')).toHaveCount(0);
	await page.getByRole('button', { name: 'Undo', exact: true }).click();
	await expect(page.getByLabel('Name of the part')).toHaveValue('uplift');
	expect(await inside(page).count()).toBe(0);
});
