import { expect, test, type Page } from '@playwright/test';
import { violations } from './axe';
import { another, ready, signIn } from './people';

const PASSWORD = 'pebble orchard nineteen';

/** Opens the letter with the link to set a password, and its address. */
async function linkTo(page: Page, address: string): Promise<string> {
	await page.getByRole('link', { name: 'Letters' }).click();
	await page.getByRole('list', { name: 'Letters' }).getByText(address).first().click();
	return (await page
		.getByText(/\/password\//)
		.first()
		.textContent())!.match(/\/password\/\S+/)![0];
}

test('an administrator invites somebody, gives them a line, and they see that and nothing else; then it is taken back', async ({
	page,
	browser
}) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/crew/access');
	await ready(page);
	await page.getByRole('button', { name: 'Invite somebody' }).click();
	await page.getByLabel('Name', { exact: true }).fill('Ada Holm');
	await page.getByLabel('E-mail address').fill('ada.holm@brinewater.example');
	await page.getByLabel('Give a role').selectOption('Planner');
	await page.getByLabel('In which model').selectOption('in New posts');
	await page.getByRole('button', { name: 'Invite', exact: true }).click();
	await expect(page.getByRole('status').filter({ hasText: 'A letter with a link' })).toBeVisible();
	const people = page.getByRole('region', { name: 'People' });
	await expect(people.getByRole('row').filter({ hasText: 'Ada Holm' })).toContainText('invited');
	await expect(people.getByRole('row').filter({ hasText: 'Ada Holm' })).toContainText('Planner in New posts');
	expect(await violations(page)).toEqual([]);
	const link = await linkTo(page, 'ada.holm@brinewater.example');

	// A password that would be guessed is refused; a good one lets her in, to one model alone.
	const ada = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
	await ada.goto(link);
	await ready(ada);
	for (const word of ['password1234', PASSWORD]) {
		await ada.getByLabel(/^Password/).fill(word);
		await ada.getByLabel('Once more').fill(word);
		await ada.getByRole('button', { name: 'Set it' }).click();
		if (word !== PASSWORD) await expect(ada.getByRole('alert')).toContainText('guessed early');
	}
	await ada.waitForURL(/sign-in/);
	await ready(ada);
	await ada.getByLabel('Password').fill(PASSWORD);
	await ada.getByRole('button', { name: 'Sign in' }).click();
	await ada.waitForURL('**/m/crew/desk');
	await ready(ada);
	await expect(ada.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name: 'Structure' })).toHaveCount(0);
	await ada.goto('/m/crew/forms/crew-posts');
	await expect(ada.getByText('This form cannot be shown.')).toBeVisible();

	// Amber Coast is given in the matrix, by keyboard.
	await page.getByRole('link', { name: /^Grants in/ }).click();
	const amber = page.getByRole('button', { name: /^Ada Holm at Amber Coast Line/ });
	await amber.click();
	await page.keyboard.press('w');
	// What it would do is shown first; nothing is given yet.
	await expect(page.getByRole('region', { name: 'What this would change' })).toContainText('Ada Holm may write at Amber Coast Line');
	await expect(amber).toHaveAccessibleName('Ada Holm at Amber Coast Line: nothing');
	await page.keyboard.press('Enter');
	await expect(amber).toHaveAccessibleName('Ada Holm at Amber Coast Line: read and write');
	await expect(page.getByRole('status').filter({ hasText: 'Ada Holm: read and write, at Amber Coast Line' })).toBeVisible();
	expect(await violations(page)).toEqual([]);

	await ada.reload();
	await ready(ada);
	await expect(ada.getByRole('button', { name: 'Line: Amber Coast Line' })).toBeVisible();
	await expect(ada.getByText('Totals are of what you may read in this model')).toBeVisible();
	await ada.getByRole('button', { name: 'Line: ' }).click();
	await expect(ada.locator('[popover]:popover-open').getByRole('option', { name: 'Skerry Line' })).toHaveCount(0);
	await ada.keyboard.press('Escape');
	const first = ada.locator('[role="gridcell"]').first();
	await first.click();
	await ada.keyboard.type('3');
	await ada.keyboard.press('Enter');
	await expect(ada.getByRole('button', { name: /^Save/ })).toBeVisible();

	// Why: for her line she may, for another she may not, and it is said by what.
	await page.getByRole('link', { name: 'Why' }).click();
	await page.getByRole('combobox', { name: /^Who/ }).selectOption({ label: 'Ada Holm' });
	for (const [line, sentence] of [
		['Amber Coast', 'Read by “Amber Coast Line”'],
		['Skerry', 'No grant to read here']
	] as const) {
		await page.getByRole('combobox', { name: 'Line of the figure' }).fill(line);
		await page
			.getByRole('option', { name: new RegExp(line) })
			.first()
			.click();
		await page.getByRole('button', { name: 'Why?' }).click();
		await expect(page.getByRole('region', { name: 'Explanation' })).toContainText(sentence);
	}
	expect(await violations(page)).toEqual([]);

	// Taken back from the list of changes: the form that stands open loses what it showed.
	await page.getByRole('link', { name: 'Changes' }).click();
	await page.getByRole('list', { name: 'Changes of access' }).getByRole('button', { name: 'Take back' }).first().click();
	await expect(page.getByRole('status').filter({ hasText: 'Taken back' })).toBeVisible();
	await ada.reload();
	await expect(ada.getByText('This form cannot be shown.')).toBeVisible();

	// Without any role there is nothing she could enter, and a way out.
	await page.getByRole('link', { name: 'People' }).click();
	await page.getByRole('button', { name: 'Ada Holm' }).click();
	await page.getByRole('button', { name: 'Take the role away' }).click();
	await page.getByRole('button', { name: 'Save', exact: true }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Ada Holm is changed' })).toBeVisible();
	await ada.goto('/');
	await expect(ada.getByRole('heading', { name: /there is no model you may work in yet/ })).toBeVisible();
	await expect(ada.getByRole('button', { name: 'Sign out' })).toBeVisible();

	// Deactivated, she is signed out; what she did stays.
	await page.getByRole('link', { name: 'People' }).click();
	await page.getByRole('button', { name: 'Ada Holm' }).click();
	await page.getByRole('button', { name: 'Deactivate' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'cannot sign in any more' })).toBeVisible();
	await ada.reload();
	await ada.waitForURL(/sign-in/);
});

test('two administrators at once: what one has changed is not written over by the other; the last one cannot go', async ({
	page,
	browser
}) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/group/access?view=roles');
	await ready(page);
	const other = await another(browser, 'maren.kvist');
	await other.goto('/m/group/access?view=roles');
	await ready(other);
	const box = (on: Page) => on.getByRole('checkbox', { name: 'Auditor may design forms' });
	await box(page).check();
	await expect(page.getByRole('status').filter({ hasText: 'Auditor is changed' })).toBeVisible();
	await other.getByRole('checkbox', { name: 'Auditor may run runbooks' }).click();
	await expect(other.getByRole('alert')).toContainText('changed this meanwhile');
	await expect(box(other)).toBeChecked();
	await page.getByRole('button', { name: 'Take it back' }).click();
	await expect(box(page)).not.toBeChecked();
	await page.getByRole('checkbox', { name: 'Administrator may change who may do what' }).click();
	await expect(page.getByRole('alert')).toContainText('Nobody would be left');
	await page.reload();
	await ready(page);
	await expect(page.getByRole('checkbox', { name: 'Administrator may change who may do what' })).toBeChecked();
	await expect(page.getByRole('checkbox', { name: 'Auditor may run runbooks' })).not.toBeChecked();
});

test('a forgotten password is asked for and set anew; one’s own is changed', async ({ page, browser }) => {
	await page.goto('/sign-in');
	await ready(page);
	await page.getByRole('link', { name: 'I have forgotten my password' }).click();
	await ready(page);
	for (const address of ['nobody.here@brinewater.example', 'caspar.dene@brinewater.example']) {
		await page.goto('/forgot');
		await ready(page);
		await page.getByLabel('E-mail address').fill(address);
		await page.getByRole('button', { name: 'Send me a link' }).click();
		await expect(page.getByRole('status')).toContainText('If somebody here has this address');
	}
	const administrator = await another(browser, 'maren.kvist');
	await administrator.goto('/m/group/access');
	await ready(administrator);
	const link = await linkTo(administrator, 'caspar.dene@brinewater.example');
	await expect(administrator.getByText('nobody.here@brinewater.example')).toHaveCount(0);
	await page.goto(link);
	await ready(page);
	await page.getByLabel(/^Password/).fill(PASSWORD);
	await page.getByLabel('Once more').fill(PASSWORD);
	await page.getByRole('button', { name: 'Set it' }).click();
	await page.waitForURL(/sign-in/);
	await ready(page);
	await page.getByLabel('Password').fill(PASSWORD);
	await page.getByRole('button', { name: 'Sign in' }).click();
	await page.waitForURL('**/desk');
	await ready(page);
	await page.getByRole('link', { name: 'Caspar Dene' }).click();
	await ready(page);
	await page.getByLabel('Present password').fill('wrong');
	await page.getByLabel(/^New password/).fill('ferry-lattice-2028');
	await page.getByRole('button', { name: 'Change it' }).click();
	await expect(page.getByRole('alert')).toContainText('present password is not right');
	await page.getByLabel('Present password').fill(PASSWORD);
	await page.getByLabel(/^New password/).fill('qwertyuiop1234');
	await page.getByRole('button', { name: 'Change it' }).click();
	await expect(page.getByRole('alert')).toContainText('guessed early');
	await page.getByLabel(/^New password/).fill('gravel lantern ninety');
	await page.getByRole('button', { name: 'Change it' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'The password is changed' })).toBeVisible();
	expect(await violations(page)).toEqual([]);
});
