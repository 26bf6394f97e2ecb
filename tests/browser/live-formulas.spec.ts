import { expect, test, type Page } from '@playwright/test';
import { another, choose, figureAt, openForm, ready, restate, signIn, unfold } from './people';

const details = (page: Page) => page.getByRole('complementary', { name: 'Details of the member' });
const formulas = (page: Page) => details(page).getByRole('region', { name: 'Live formulas' });

/** Shows an account with its details. */
async function account(page: Page, name: string): Promise<void> {
	await page.goto('/structure/dimension/account');
	await ready(page);
	await page.getByLabel('Find a member').fill(name);
	await page.getByRole('gridcell', { name, exact: true }).first().click();
	if ((await details(page).count()) === 0) await page.getByRole('button', { name: 'Details' }).click();
	await expect(details(page).getByText(name, { exact: true }).first()).toBeVisible();
}
async function write(page: Page, text: string): Promise<void> {
	await formulas(page).locator('.cm-content').last().click();
	await page.keyboard.press('Control+a');
	await page.keyboard.insertText(text);
}

test('an account is computed per leaf, in the months where it stands, corrected where it is wrong, and followed while a planner types', async ({
	page,
	browser
}) => {
	await signIn(page, 'maren.kvist');
	await account(page, 'Terminal cleaning');
	await formulas(page).getByRole('button', { name: 'Compute it' }).click();
	await write(page, 'Terminal energ * 10%');
	await expect(formulas(page).getByText('One fault')).toBeVisible();
	await write(page, '"Terminal energ" * 10%');
	await formulas(page).getByRole('button', { name: 'Keep the formula' }).click();
	await expect(formulas(page).getByRole('alert')).toContainText('Did you mean “Terminal energy”?');
	await write(page, '"Terminal cleaning"{Month + 1} + "Terminal cleaning"{Month - 1}');
	await formulas(page).getByRole('button', { name: 'Keep the formula' }).click();
	await expect(formulas(page).getByRole('alert')).toContainText('looks back and ahead at its own results');
	// A tenth of the energy in the first month, and 1 % more each month after it.
	await write(page, 'when Month is "Apr 2027" then "Terminal energy" * 10% else "Terminal cleaning"{Month - 1} * 101% -- as agreed');
	await expect(formulas(page).getByText('No faults')).toBeVisible();
	await formulas(page)
		.getByText(/^In Outlook FY2027, Budget FY2028/)
		.click();
	for (const scenario of ['Outlook FY2027', 'Stretch plan FY2028–29']) await formulas(page).getByLabel(scenario).uncheck();
	await formulas(page).getByLabel('From').selectOption({ label: 'Apr 2027' });
	await formulas(page).getByRole('button', { name: 'Keep the formula' }).click();
	// The final version of the budget is closed, and the cleaning there would be another one.
	await restate(page, 'cleaning is by the energy used');
	await expect(formulas(page).getByText('Fed by')).toBeVisible();
	await expect(formulas(page).getByRole('button', { name: 'Terminal energy' })).toBeVisible();

	// The planner's form follows while the energy is typed, before anything is saved.
	const planner = await another(browser, 'tove.brandal');
	await openForm(planner, 'route-contribution');
	await choose(planner, 'Line', 'Skerry Line');
	await choose(planner, 'Scenario', 'Budget FY2028');
	await unfold(planner, 'Terminal running');
	const [energy, april, june] = [
		(await figureAt(planner, 'Terminal energy', 'Apr'))!,
		(await figureAt(planner, 'Terminal cleaning', 'Apr'))!,
		(await figureAt(planner, 'Terminal cleaning', 'Jun'))!
	];
	expect(april).toBeCloseTo(energy / 10, -1);
	expect(june).toBeCloseTo(april * 1.01 ** 2, -1);
	const cell = planner
		.locator('tbody tr')
		.filter({ has: planner.locator('th', { hasText: /^\s*Terminal energy\s*$/ }) })
		.locator('td')
		.first();
	await cell.click();
	await planner.keyboard.type(String(Math.round(energy * 2)));
	await planner.keyboard.press('Enter');
	await expect.poll(async () => Math.abs((await figureAt(planner, 'Terminal cleaning', 'Jun'))! / june - 2) < 0.01).toBe(true);
	await planner.getByRole('button', { name: 'Discard' }).click();
	await expect.poll(() => figureAt(planner, 'Terminal cleaning', 'Jun')).toBe(june);
	await planner.context().close();

	// From the account it is fed by back to it, and the formula away again.
	await formulas(page).getByRole('button', { name: 'Terminal energy' }).click();
	await expect(formulas(page).getByText('Feeds')).toBeVisible();
	await formulas(page).getByRole('button', { name: 'Terminal cleaning' }).click();
	await expect(formulas(page).locator('.cm-content')).toContainText('as agreed');

	// The same by cards: a number is changed, and the note stays.
	await formulas(page).getByRole('radio', { name: 'Cards' }).click();
	const cards = formulas(page).getByRole('group', { name: 'Live formula' });
	await expect(cards).toContainText('as agreed');
	await cards.getByRole('button', { name: '101%' }).click();
	await cards.getByRole('textbox', { name: 'Number' }).fill('102%');
	await cards.getByRole('textbox', { name: 'Number' }).press('Enter');
	await formulas(page).getByRole('radio', { name: 'Text' }).click();
	await expect(formulas(page).locator('.cm-content')).toContainText('* 102% -- as agreed');
	await formulas(page).getByRole('button', { name: 'Keep the formula' }).click();
	await restate(page, 'two in a hundred');
	await expect(formulas(page).getByRole('button', { name: 'Keep the formula' })).toHaveCount(0);
	await formulas(page).getByRole('button', { name: 'Delete this formula' }).click();
	await formulas(page).getByRole('button', { name: 'Keep the formula' }).click();
	await restate(page, 'it is typed again');
	await expect(formulas(page)).toContainText('None: it is typed, loaded, or computed by runbooks.');
});
