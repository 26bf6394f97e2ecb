import { expect, test } from '@playwright/test';
import { violations } from './axe';
import { ready, signIn } from './people';

test('a planner learns how: first steps on the Desk, the chapter of a page, an example tried, a word found', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await page.goto('/m/group/desk');
	await ready(page);
	const steps = page.getByRole('region', { name: /^First steps/ });
	await expect(steps.getByRole('link', { name: /^Type a figure in a form/ })).toBeVisible();
	await steps.getByRole('link', { name: /^how ?: Type a figure in a form/ }).click();
	await expect(page.getByRole('heading', { level: 1, name: 'Filling a form' })).toBeVisible();
	await page
		.getByRole('article')
		.getByRole('link', { name: 'Explaining figures' })
		.or(page.getByRole('link', { name: 'Explaining figures' }))
		.first()
		.click();
	await expect(page.getByRole('heading', { level: 1, name: 'Explaining figures' })).toBeVisible();

	// From a page to its chapter, by the keyboard.
	await page.goto('/m/group/insight');
	await ready(page);
	await page.getByRole('link', { name: 'Handbook, about this page' }).focus();
	await page.keyboard.press('Enter');
	await expect(page.getByRole('heading', { level: 1, name: 'Boards' })).toBeVisible();

	// An example is changed, and changed back.
	await page.getByRole('navigation', { name: 'Chapters' }).getByRole('link', { name: 'Formulas' }).click();
	const example = page.getByRole('group', { name: 'An example to try' }).first();
	await expect(example.getByText('15,000')).toBeVisible();
	await example.getByLabel('Fare').fill('10');
	await expect(example.getByText('12,000')).toBeVisible();
	await example.getByLabel('Formula').fill('Passengers * Price');
	await expect(example.getByText('“Price” is none of Passengers, Fare.')).toBeVisible();
	await example.getByRole('button', { name: 'As it was' }).click();
	await expect(example.getByText('15,000')).toBeVisible();
	expect(await violations(page)).toEqual([]);

	// Found by its words.
	await page.keyboard.press('Control+k');
	await page.keyboard.type('volume mix');
	await page
		.getByRole('option', { name: /Why a figure differs/ })
		.or(page.getByText('Why a figure differs'))
		.first()
		.click();
	await expect(page).toHaveURL(/handbook\/exploring#why-a-figure-differs$/);
	await expect(page.getByRole('heading', { name: 'Why a figure differs' })).toBeInViewport();

	// Without a model in the address, and a chapter that is not there.
	await page.goto('/handbook/locking');
	await expect(page.getByRole('heading', { level: 1, name: 'Locking' })).toBeVisible();
	await page.goto('/m/group/handbook/nowhere');
	await expect(page.getByText(/no such chapter/i)).toBeVisible();

	await page.goto('/m/group/desk');
	await ready(page);
	await page.getByRole('button', { name: 'I know my way' }).click();
	await expect(page.getByRole('region', { name: /^First steps/ })).toHaveCount(0);
});
