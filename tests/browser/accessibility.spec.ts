import { expect, test } from '@playwright/test';
import { violations } from './axe';
import { ready, signIn } from './people';

const PAGES = [
	'/desk',
	'/handbook',
	'/handbook/formulas',
	'/structure/dimension/account',
	'/structure/dimension/scenario',
	'/structure/calendar',
	'/structure/currencies',
	'/structure/variables',
	'/structure/wiring',
	'/structure/package',
	'/structure/new-model',
	'/structure/setting-up',
	'/data-in',
	'/data-in/ledger',
	'/forms',
	'/forms/route-contribution',
	'/forms/fleet-care',
	'/forms/dry-docking',
	'/forms/new',
	'/forms/fleet-care/design',
	'/rules',
	'/rules/1',
	'/rules/3',
	'/access/locks',
	'/cycle',
	'/m/group/branches',
	'/m/group/branches/1',
	'/m/group/branches?snapshot',
	'/m/group/branches/compare?side=plan&side=b1&side=s1&row=0',
	'/m/group/insight',
	'/m/group/insight/boards/1',
	'/m/group/insight/boards/1?tab=1',
	'/m/group/insight/boards/2',
	'/m/group/insight/explore/view.result-by-line',
	'/m/group/insight/journal',
	'/m/group/insight/journal?of=entries',
	'/m/group~1/forms/route-contribution',
	'/m/route-result/rules/6',
	'/m/route-result/forms/costs-by-stage'
];

for (const theme of ['paper', 'night'])
	test(`all pages are clean in the theme ${theme}`, async ({ page }) => {
		await signIn(page, 'maren.kvist');
		const switchTo = async (name: string) => {
			const kept = page.waitForResponse((response) => response.url().endsWith('/api/theme'));
			await page.getByRole('button', { name: `Use the ${name} theme` }).click();
			await kept;
		};
		if (theme === 'night') await switchTo('night');
		for (const path of PAGES) {
			await page.goto(path);
			await ready(page);
			await expect(page.locator('html')).toHaveAttribute('data-theme', theme);
			expect(await violations(page), path).toEqual([]);
			const overflow = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
			expect(overflow, `${path} scrolls sideways`).toBeLessThanOrEqual(0);
		}
		if (theme === 'night') await switchTo('paper');
	});

test('cards, and an account with its live formula, are clean', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/rules/1');
	await ready(page);
	await page.getByText('Volumes by last year’s season').first().click();
	await page.getByRole('radio', { name: 'Cards' }).click();
	await page.getByRole('button', { name: /^Sailings .*3 years before/ }).click();
	await expect(page.getByRole('group', { name: 'The picked part' })).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.goto('/structure/dimension/account');
	await ready(page);
	await page.getByLabel('Find a member').fill('Vessels');
	await page.getByRole('gridcell', { name: 'Vessels', exact: true }).click();
	const formulas = page.getByRole('region', { name: 'Live formulas' });
	if ((await formulas.count()) === 0) await page.getByRole('button', { name: 'Details' }).click();
	await expect(formulas.locator('.cm-content')).toBeVisible();
	expect(await violations(page)).toEqual([]);
});

test('the sign-in is clean', async ({ page }) => {
	await page.goto('/sign-in');
	await ready(page);
	expect(await violations(page)).toEqual([]);
});

test('what opens over a page is clean: the finder, the legend, a selector', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/forms/fleet-care');
	await ready(page);
	await page.keyboard.press('Control+k');
	await expect(page.getByRole('listbox', { name: 'Found' })).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.keyboard.press('Escape');
	await page.keyboard.press('F1');
	await expect(page.getByRole('dialog', { name: 'Legend and keys' })).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.keyboard.press('Escape');
	await page
		.getByRole('group', { name: 'What the form shows' })
		.getByRole('button', { name: /^Route: / })
		.click();
	await expect(page.locator('[popover]:popover-open').getByRole('option').first()).toBeVisible();
	expect(await violations(page)).toEqual([]);
});

test('Ctrl+K finds forms and actions by the keyboard', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.keyboard.press('Control+k');
	await page.keyboard.type('net as');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { name: 'Net assets' })).toBeVisible();
});
