import { readFile } from 'node:fs/promises';
import { expect, test, type Page } from '@playwright/test';
import JSZip from 'jszip';
import { ready, restate, signIn, unfold } from './people';

const row = (page: Page, name: string) => page.getByRole('treegrid').getByRole('row').filter({ hasText: name });

test('an administrator makes a model from nothing, pastes its accounts, and types a first figure', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/new-model');
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill(`Dry dock ${Date.now() % 100_000}`);
	await page.getByLabel('Pattern of months').selectOption('4-4-5');
	await page.getByLabel('Month in which the year begins').selectOption('2');
	await expect(page.getByRole('figure').first()).toContainText('weeks');
	await expect(page.getByRole('figure').first()).toContainText('M3');
	// What is proposed for the scenarios follows the first year of the calendar.
	const firstYear = page.getByLabel('First year', { exact: true });
	const proposed = () =>
		page.getByLabel(/^Name of scenario/).evaluateAll((fields) => fields.map((field) => (field as HTMLInputElement).value));
	const thisYear = Number(await firstYear.inputValue());
	const before = await proposed();
	await firstYear.fill(String(thisYear + 3));
	await firstYear.blur();
	await expect.poll(proposed).toEqual(before.map((name) => name.replace(/\d{4}/, (year) => String(Number(year) + 3))));
	await firstYear.fill(String(thisYear));
	await firstYear.blur();
	await expect.poll(proposed).toEqual(before);
	for (const currency of ['GBP', 'NOK']) {
		await page.getByLabel('Another currency').fill(currency);
		await page.getByLabel('Another currency').press('Enter');
	}
	await page.getByLabel('Another dimension').fill('Project');
	await page.getByLabel('Another dimension').press('Enter');
	// Account, period, scenario, entity, department, project.
	await expect(page.getByRole('list', { name: 'The dimensions of the model' }).getByRole('listitem')).toHaveCount(6);
	await page.getByRole('button', { name: 'Make the model' }).click();

	// It can be used at once.
	await page.waitForURL(/\/forms\/all-figures/);
	await ready(page);
	await expect(page.getByRole('heading', { name: 'All figures' })).toBeVisible();
	const cell = (label: string) =>
		page
			.getByRole('row', { name: new RegExp(`${label}\\b`) })
			.getByRole('gridcell')
			.first();
	await cell('Revenue').click();
	await page.keyboard.type('1500');
	await page.keyboard.press('Enter');
	await expect(cell('Result')).toContainText('1,500');

	// Two hundred accounts from a spreadsheet, one of them faulty.
	await page.goto('/structure');
	await ready(page);
	await expect(page.getByRole('heading', { name: 'Account' })).toBeVisible();
	await page.getByRole('button', { name: 'Paste or load…' }).click();
	const lines = Array.from({ length: 200 }, (_, index) => `${4000 + index}\tCost line ${index}\tCOST\texpense`);
	await page.getByLabel('Rows from a spreadsheet').fill(['Code\tName\tParent\tKind', ...lines, '4000\tTwice\tCOST\texpense'].join('\n'));
	await page.getByRole('button', { name: 'Look at what it would do' }).click();
	const preview = page.getByRole('region', { name: 'Preview of rows' });
	await expect(preview).toContainText('200 to add');
	await expect(preview.getByRole('table')).toContainText('The code 4000 is in row 2 already.');
	await expect(preview.getByRole('button', { name: /Apply/ })).toBeDisabled();
	await preview.getByLabel('Leave out rows with a fault').check();
	await preview.getByRole('button', { name: 'Apply 200 changes' }).click();
	// Cost held numbers nobody has typed, so nothing has to be handed over.
	await expect(page.getByRole('status')).toContainText('Added 200 members from pasted rows');

	await page.goto('/forms/all-figures');
	await ready(page);
	await unfold(page, 'Cost');
	await cell('Cost line 0').click();
	await page.keyboard.type('400');
	await page.keyboard.press('Enter');
	await expect(cell('Result')).toContainText('1,100');
	await page.keyboard.press('Control+s');
	await expect(page.getByText(/Saved 2 cells/)).toBeVisible();

	// One more breakdown of what is there, by keyboard; figures stay, and are typed as before.
	await page.goto('/structure/dimensions');
	await ready(page);
	await page.getByLabel('Name of the new dimension').fill('Account');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('alert')).toHaveText('The model has a dimension Account already. Choose another name.');
	await page.getByLabel('Name of the new dimension').fill('Channel');
	await page.keyboard.press('Enter');
	const would = page.getByRole('region', { name: 'What it would do' });
	await expect(would.getByRole('row', { name: /No channel/ })).toContainText('everything');
	await would.getByRole('button', { name: 'Add “Channel”' }).press('Enter');
	await page.waitForURL(/\/structure\/dimension\/channel/);
	await expect(row(page, 'No channel')).toBeVisible();
	await page.goto('/forms/all-figures');
	await ready(page);
	await expect(cell('Result')).toContainText('1,100');
	await cell('Revenue').click();
	await page.keyboard.type('1600');
	await page.keyboard.press('Enter');
	await expect(cell('Result')).toContainText('1,200');
	await page.keyboard.press('Control+s');
	await expect(page.getByText('Saved one cell')).toBeVisible();

	// Taken out and put back, then taken out for good.
	await page.goto('/structure/dimensions');
	await ready(page);
	const takeOut = async () => {
		await page.getByLabel('Dimension to take out').selectOption('Channel');
		await page.getByRole('button', { name: 'Look at what would become of it' }).press('Enter');
		const becomes = page.getByRole('region', { name: 'What would become of it' });
		await expect(becomes).toContainText('2 cells would be left');
		await expect(becomes).toContainText('No total would move');
		await becomes.getByRole('button', { name: 'Take “Channel” out' }).press('Enter');
		await expect(page.getByRole('status')).toHaveText('“Channel” is taken out.');
	};
	await takeOut();
	await page.getByRole('button', { name: 'Put it back' }).click();
	await expect(page.getByRole('status')).toHaveText('“Channel” is back, with every figure as it was.');
	await takeOut();
	await page.goto('/forms/all-figures');
	await ready(page);
	await expect(cell('Result')).toContainText('1,200');
	await cell('Revenue').click();
	await page.keyboard.type('1500');
	await page.keyboard.press('Enter');
	await expect(cell('Result')).toContainText('1,100');
	await page.keyboard.press('Control+s');
	await expect(page.getByText('Saved one cell')).toBeVisible();
	// Back to the demo's model for what follows.
	await page.getByLabel('Model', { exact: true }).selectOption('Group plan');
	await page.waitForURL(/\/desk/);
});

test('members are changed by keyboard and mouse, and taken back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/dimension/route');
	await ready(page);
	const grid = page.getByRole('treegrid');
	// Added by keyboard: name, Enter; the next one may follow.
	await row(page, 'CENTRAL').getByRole('gridcell').first().click();
	await page.keyboard.press('Shift+Insert');
	await page.getByLabel('Name of the new member').fill('Night crossing');
	await page.getByLabel('Code of the new member').fill('R77');
	await page.getByLabel('Code of the new member').press('Enter');
	await expect(row(page, 'R77')).toBeVisible();
	await page.getByLabel('Name of the new member').press('Escape');
	await page.keyboard.press('F1');
	await expect(page.getByRole('dialog', { name: 'Legend and keys' })).toContainText('Members in Structure');
	await page.keyboard.press('Escape');

	// A new member shows in spite of a search that it does not match.
	await page.getByLabel('Find a member').fill('Late night');
	await expect(page.getByText('No member by that name')).toBeVisible();
	await page.getByLabel('Find a member').fill('Night crossing');
	await row(page, 'R77').getByRole('gridcell').first().click();
	await page.keyboard.press('Insert');
	await page.getByLabel('Name of the new member').fill('Dawn ferry');
	await page.getByLabel('Code of the new member').fill('R78');
	await page.getByLabel('Code of the new member').press('Enter');
	await expect(row(page, 'R78')).toBeVisible();
	await expect(page.getByLabel('Find a member')).toHaveValue('');
	await page.getByLabel('Name of the new member').press('Escape');
	await row(page, 'R78').getByRole('gridcell').first().click();
	await page.keyboard.press('Control+z');
	await expect(row(page, 'R78')).toHaveCount(0);

	// Renamed in place, moved out one level, and both taken back.
	await row(page, 'R77').getByRole('gridcell').first().click();
	await page.keyboard.press('F2');
	await page.keyboard.press('Control+a');
	await page.keyboard.type('Late crossing');
	await page.keyboard.press('Enter');
	await expect(row(page, 'Late crossing')).toBeVisible();
	await row(page, 'R77').getByRole('gridcell').first().click();
	const level = await row(page, 'R77').getAttribute('aria-level');
	await page.keyboard.press('Control+Shift+ArrowLeft');
	await expect(row(page, 'R77')).toHaveAttribute('aria-level', String(Number(level) - 1));
	await page.keyboard.press('Control+z');
	await expect(row(page, 'R77')).toHaveAttribute('aria-level', level!);
	await page.keyboard.press('Control+z');
	await expect(row(page, 'Night crossing')).toBeVisible();

	// Dragged under another group.
	await row(page, 'R77').dragTo(row(page, 'EAST').first(), { targetPosition: { x: 60, y: 14 } });
	await expect(page.getByRole('status')).toContainText('Moved “Night crossing”');

	// A duplicate code is refused with a sentence and nothing is lost.
	await row(page, 'R77').getByRole('gridcell').nth(1).click();
	await page.keyboard.press('F2');
	await page.keyboard.press('Control+a');
	await page.keyboard.type('R02');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('status')).toContainText('The code R02 is used by');

	// What is used asks what shall become of it; what is not goes.
	await grid.getByRole('gridcell', { name: 'R02', exact: true }).click();
	await page.keyboard.press('Delete');
	await expect(page.getByRole('alertdialog')).toContainText('is in use');
	await page.getByRole('alertdialog').getByRole('button', { name: 'Cancel' }).click();
	await row(page, 'R77').getByRole('gridcell').first().click();
	await page.keyboard.press('Delete');
	await expect(page.getByRole('status')).toContainText('Deleted “Night crossing”');
});

test('another way to group members is started, renamed, deleted, and brought back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/dimension/route');
	await ready(page);
	const hierarchies = page.getByLabel('Hierarchy', { exact: true });
	await page.getByRole('button', { name: 'Attributes…' }).click();
	await page.getByLabel('Name of the new hierarchy').fill('By weather');
	await page.getByRole('button', { name: 'Start an alternate hierarchy' }).click();
	await expect(hierarchies).toHaveValue('By weather');
	await page.getByLabel('Code to bring in').fill('R01');
	await page.keyboard.press('Enter');
	await expect(row(page, 'Skerrivik – Holmness')).toBeVisible();
	await page.getByLabel('Name of this hierarchy').fill('By season');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('status')).toContainText('called “By season” now');
	await expect(hierarchies).toHaveValue('By season');
	await page.getByRole('button', { name: 'Delete this hierarchy' }).click();
	await expect(page.getByRole('status')).toContainText('Deleted the hierarchy “By season”. Ctrl+Z brings it back.');
	await expect(hierarchies).toBeHidden();
	await page.keyboard.press('Control+z');
	await expect(page.getByRole('status')).toContainText('Took back: Deleted the hierarchy “By season”');
	await hierarchies.selectOption('By season');
	await expect(row(page, 'Skerrivik – Holmness')).toBeVisible();
	await page.getByRole('button', { name: 'Delete this hierarchy' }).click();
	await expect(hierarchies).toBeHidden();
});

test('a change that moves figures shows them first', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/dimension/account');
	await ready(page);
	await page.getByLabel('Find a member').fill('Harbour dues');
	await row(page, '6020').getByRole('gridcell').first().click();
	await page.getByRole('button', { name: 'Details' }).click();
	const details = page.getByRole('complementary', { name: 'Details of the member' });
	await expect(details).toContainText('Harbour dues of the budget, agreed with the ports');
	await details.getByLabel('Over time').selectOption('closing');
	const decision = page.getByRole('alertdialog');
	await expect(decision).toContainText('This changes figures.');
	await expect(decision).toContainText('Operating contribution');
	await decision.getByRole('button', { name: 'Keep it as it is' }).click();
	await expect(row(page, '6020')).toContainText('flow');
});

test('a form that is open elsewhere follows the structure by itself', async ({ page, browser }) => {
	await signIn(page, 'maren.kvist');
	const other = await (await browser.newContext()).newPage();
	await signIn(other, 'tove.brandal');
	await other.goto('/forms/route-contribution');
	await ready(other);
	await page.goto('/structure/dimension/account');
	await ready(page);
	await page.getByLabel('Find a member').fill('Passengers');
	await row(page, 'S30').getByRole('gridcell').first().click();
	await page.keyboard.press('F2');
	await page.keyboard.press('Control+a');
	await page.keyboard.type('Foot travellers');
	await page.keyboard.press('Enter');
	await expect(other.getByRole('rowheader', { name: 'Foot travellers' })).toBeVisible();
	await page.keyboard.press('Control+z');
	await expect(other.getByRole('rowheader', { name: 'Passengers', exact: true })).toBeVisible();
	await other.context().close();
});

test('rates that are filled forward are looked at first, with the totals they move, and taken back', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/currencies');
	await ready(page);
	const rates = page.getByRole('grid', { name: 'Rates of Actual rates' });
	const [march, june] = [2, 5].map((month) => rates.locator(`[data-line="0"][data-month="${month}"]`));
	const before = await june!.innerText();
	await march!.click();
	const fill = page.getByRole('region', { name: 'Actual rates', exact: true }).getByRole('button', { name: 'Fill forward' });
	await fill.click();
	const look = page.getByRole('region', { name: 'Before the rates of Actual rates change' });
	await expect(look).toContainText('rates would change.');
	await look.getByRole('button', { name: 'Keep the rates as they are' }).click();
	await expect(june!).toHaveText(before);
	await fill.click();
	await look.getByRole('button', { name: 'Apply' }).click();
	// Actual is closed to August.
	await restate(page, 'the bank corrected its table');
	await expect(june!).toHaveText(await march!.innerText());
	await page.getByRole('region', { name: 'Actual rates', exact: true }).getByRole('button', { name: 'Take back the last change' }).click();
	await restate(page, 'it was right before');
	await expect(june!).toHaveText(before);
});

test('rates, calendar and variables are changed where they are shown', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/currencies');
	await ready(page);
	const rates = page.getByRole('grid', { name: 'Rates of Budget rates FY2028' });
	await rates.locator('[data-line="0"][data-month="2"]').click();
	await page.keyboard.type('0.9');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('status')).toContainText('GBP average');
	await expect(rates.locator('[data-line="0"][data-month="2"]')).toContainText('0.9');
	await rates.locator('[data-line="0"][data-month="2"]').click();
	await page.keyboard.type('-3');
	await page.keyboard.press('Enter');

	await page.goto('/structure/calendar');
	await ready(page);
	await page.getByRole('button', { name: 'Extend' }).click();
	await expect(page.getByRole('figure', { name: 'The year FY2030' })).toBeVisible();

	await page.goto('/structure/variables');
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill('Current year');
	await page.getByLabel('A member of').selectOption('Period');
	await page.getByLabel('Member', { exact: true }).fill('FY2028');
	await page.getByRole('button', { name: 'Set' }).click();
	await expect(page.getByRole('row', { name: /Current year/ })).toContainText('FY2028');
});

test('a list of choices is made of names, and an account chooses from it', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/lists');
	await ready(page);
	await page.getByLabel('Name', { exact: true }).fill('State of a project');
	await page.getByLabel(/Choices, one a line/).fill('Idea\nAgreed\nidea');
	await page.getByRole('button', { name: 'Make the list' }).click();
	// What was typed stays.
	await expect(page.getByRole('status')).toContainText('“idea” is there twice');
	await page.getByLabel(/Choices, one a line/).fill('Idea\nAgreed\nDone');
	await page.getByLabel(/Choices, one a line/).press('Tab');
	await page.keyboard.press('Enter');
	await expect(page.getByRole('row', { name: /State of a project/ })).toContainText('no account yet');
	await page.goto('/structure/dimension/account');
	await ready(page);
	await page.getByLabel('Find a member').fill('What is done');
	await page.getByRole('row', { name: /What is done/ }).click();
	await page.keyboard.press('Control+i');
	const panel = page.getByRole('complementary');
	const stored = page.waitForResponse(/\/structure\/dimension\/[^/]+\/edit$/);
	await panel.getByLabel('Choices').selectOption('State of a project');
	await stored;
	await page.goto('/structure/lists');
	const row = page.getByRole('row', { name: /State of a project/ });
	await expect(row).toContainText('What is done');
	await expect(row.getByRole('button', { name: 'delete' })).toHaveCount(0);
	await row.getByRole('button', { name: 'change' }).click();
	await expect(page.getByText('List of choices · 3 choices')).toBeVisible();
});

test('the wiring is drawn and leads to its parts', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/wiring');
	await page.locator('[data-drawn]').waitFor();
	const form = page.getByRole('button', { name: /Route contribution/ });
	await form.click();
	await expect(form).toHaveAttribute('aria-pressed', 'true');
	await expect(page.getByRole('status')).toContainText('Route contribution is fed by');
	await expect(page.getByRole('button', { name: /^Account/ })).toHaveClass(/lit/);
	await page.keyboard.press('Escape');
	await expect(form).toHaveAttribute('aria-pressed', 'false');
	// By keyboard too.
	await form.press('Enter');
	await page.getByRole('link', { name: 'Open Route contribution' }).click();
	await page.waitForURL(/\/forms\/route-contribution/);
});

test('a package changed elsewhere is held against the model, tried, and taken over in parts', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/structure/package');
	await ready(page);
	await page.getByLabel('with its numbers').uncheck();
	const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('link', { name: /^Export/ }).click()]);
	const zip = await JSZip.loadAsync(await readFile(await download.path()));
	const route = JSON.parse(await zip.file('dimensions/route.json')!.async('string')) as {
		members: { code: string; name: string; parent: string | null; weight: number }[];
	};
	const first = route.members.find(({ parent }) => parent !== null)!;
	const unlike = `X${Date.now() % 100_000}`;
	route.members.push(
		{ code: `${unlike}G`, name: `Group ${unlike}`, parent: null, weight: 1 },
		{ code: unlike, name: `Inside ${unlike}`, parent: `${unlike}G`, weight: 1 }
	);
	first.name = `${first.name}, renamed`;
	zip.file('dimensions/route.json', JSON.stringify(route));
	await page
		.locator('input[type=file]')
		.setInputFiles({ name: 'changed.zip', mimeType: 'application/zip', buffer: await zip.generateAsync({ type: 'nodebuffer' }) });
	await expect(page.getByRole('heading', { name: /^3 differences from/ })).toBeVisible();

	// One that stands under another is refused alone, by keyboard as by mouse.
	await page.getByLabel(`member ${unlike}`, { exact: true }).focus();
	await page.keyboard.press('Space');
	await page.getByRole('button', { name: 'See whether it fits' }).press('Enter');
	await expect(page.getByText(`It stands under ${unlike}G, which is not here: take that over too.`)).toBeVisible();
	await expect(page.getByRole('button', { name: /^Take / })).toBeDisabled();
	await page.getByLabel(`member ${unlike}G`, { exact: true }).check();
	await page.getByRole('button', { name: 'See whether it fits' }).click();
	await expect(page.getByText('2 differences can be taken over')).toBeVisible();
	await page.getByRole('button', { name: 'Take 2 differences over' }).click();
	await expect(page.getByText('2 differences are taken over.')).toBeVisible();
	// What was not chosen is still different.
	await expect(page.getByRole('heading', { name: /^1 difference from/ })).toBeVisible();

	await page.goto('/structure/dimension/route');
	await ready(page);
	await expect(row(page, `Inside ${unlike}`)).toBeVisible();
	await expect(row(page, ', renamed')).toHaveCount(0);
});
