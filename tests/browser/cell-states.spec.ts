import { expect, test, type Page } from '@playwright/test';
import { cellAt, choose, openForm, signIn } from './people';

/** What one sees of a cell must be what the legend says, and no two states may look the same. */
const lookOf = (page: Page, selector: string) =>
	page.locator(selector).evaluateAll((elements) =>
		elements.map((element) => {
			const style = getComputedStyle(element);
			const before = getComputedStyle(element, '::before');
			const after = getComputedStyle(element, '::after');
			return {
				classes: element.className,
				sample: (element as HTMLElement).innerText,
				look: {
					color: style.color,
					ground: style.backgroundImage,
					tint: style.backgroundColor,
					weight: style.fontWeight,
					slant: style.fontStyle,
					line: `${style.textDecorationLine} ${style.textDecorationStyle} ${style.textDecorationColor}`,
					before: before.content === 'none' ? '' : `${before.backgroundColor} ${before.borderTopColor}`,
					frame: style.boxShadow,
					after: /[▲▼]/.exec(after.content)?.[0] ?? '',
					glyph: element.querySelector('svg')?.getAttribute('class') ?? ''
				}
			};
		})
	);

for (const [theme, set] of [
	['paper', 'Usual'],
	['night', 'Usual'],
	['paper', 'Blue and orange, with shapes'],
	['night', 'High contrast'],
	['paper', 'High contrast']
] as const)
	test(`each state looks like its line in the legend, and unlike all others (${theme}, ${set})`, async ({ page }) => {
		await signIn(page, 'tove.brandal');
		await openForm(page, 'route-contribution');
		await page.evaluate((name) => (document.documentElement.dataset.theme = name), theme);
		await (await cellAt(page, 'Fleet care', 'May')).click();
		await page.keyboard.type('12x');
		await page.keyboard.press('Enter');
		await expect(await cellAt(page, 'Fleet care', 'May')).toHaveClass(/refused/);
		await (await cellAt(page, 'Fleet care', 'Jun')).click();
		await page.keyboard.type('+= 500');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('button', { name: /^Save (one|[\d,]+) / })).toBeVisible();
		await page.keyboard.press('F1');
		await page.getByRole('radio', { name: set }).click();
		await page.getByRole('checkbox', { name: 'results of runbooks, and those out of date' }).check();
		const legend = await lookOf(page, 'dialog [data-state]');
		expect(legend.length).toBeGreaterThan(12);
		const texts = legend.map(({ look, sample }) => JSON.stringify([look, sample.startsWith('≈')]));
		expect(new Set(texts).size, texts.filter((text, index) => texts.indexOf(text) !== index).join()).toBe(texts.length);
		await page.keyboard.press('Escape');
		// On a plain row the weight is the state's own; a parent's line is bold whatever its cells are.
		const cells = await lookOf(page, 'tr:not(.parent):not(.top) td.figure:not(.selected):not(.focused):not(.bare)');
		const met = new Set<string>();
		for (const { classes, look } of cells) {
			const own = classes
				.split(' ')
				.filter((name: string) => ['enter', 'spread', 'computed', 'closed', 'good', 'bad', 'refused', 'kept', 'tried'].includes(name));
			const state = legend.find(
				({ classes: of }) =>
					of
						.split(' ')
						.filter((name: string) => name !== 'figure' && name !== 'relative' && name !== 'inline-block' && name !== 'px-3')
						.join(' ') === own.join(' ')
			);
			if (!state || /drafted|stands|words|frozen|flash|other/.test(classes) || look.glyph !== '') continue;
			met.add(own.join(' '));
			expect({ of: own.join(' '), ...look, tint: '' }).toEqual({ of: own.join(' '), ...state.look, tint: '' });
		}
		expect([...met]).toEqual(expect.arrayContaining(['spread', 'computed']));
		// Hatching and padlock are for what somebody has closed, and for nothing else.
		for (const { classes, look } of cells) expect(look.ground !== 'none', classes).toBe(/closed/.test(classes));
		// What stands still while the rest moves lets nothing show through.
		const through = await page
			.locator('td.frozen')
			.evaluateAll((found) =>
				found.filter((cell) => /transparent|, 0\)$/.test(getComputedStyle(cell).backgroundColor)).map((cell) => cell.className)
			);
		expect(through).toEqual([]);
		await page.getByRole('button', { name: 'Discard' }).click();
		await page.keyboard.press('F1');
		await page.getByRole('radio', { name: 'Usual' }).click();
	});

test('each person chooses which marks show, and that stays', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'route-contribution');
	await page.keyboard.press('F1');
	const legend = page.getByRole('dialog');
	await expect(legend.getByText('a note', { exact: true })).toBeVisible();
	await legend.getByRole('checkbox', { name: 'notes', exact: true }).uncheck();
	const kept = page.waitForResponse(
		(response) => response.url().endsWith('/api/marks') && (response.request().postData() ?? '').includes('contrast')
	);
	await legend.getByRole('radio', { name: 'High contrast' }).click();
	await expect(legend.getByText('a note', { exact: true })).toHaveCount(0);
	await kept;
	await page.reload();
	await page.locator('[data-ready]').first().waitFor();
	await expect(page.locator('[data-marks]')).toHaveAttribute('data-marks', 'contrast');
	await page.keyboard.press('F1');
	await expect(legend.getByRole('checkbox', { name: 'notes', exact: true })).not.toBeChecked();
	await legend.getByRole('checkbox', { name: 'notes', exact: true }).check();
	await legend.getByRole('radio', { name: 'Usual' }).click();
	await expect(page.locator('[data-marks]')).toHaveAttribute('data-marks', 'usual');
});

test('typing where one may not says why at the cell, and a form without figures says why it has none', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	await openForm(page, 'route-contribution');
	await (await cellAt(page, 'Contribution margin', 'May')).click();
	await page.keyboard.type('5');
	await expect(page.getByRole('alert')).toContainText('Contribution margin is computed by its formula.');
	await page.keyboard.press('ArrowDown');
	await expect(page.getByRole('alert')).toHaveCount(0);
	await choose(page, 'Scenario', 'Actual');
	await expect(page.getByText('Actual speaks about Apr 2024 to Sep 2026; none of the periods shown lies there.')).toBeVisible();
});
