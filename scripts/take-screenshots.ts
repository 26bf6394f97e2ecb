import { chromium, type Locator, type Page } from '@playwright/test';
import { chromiumOptions } from './lib/chromium.mjs';
import { cellAt, choose, openForm, ready, signIn, unfold } from '../tests/browser/people';

const origin = process.argv[2]!;
const browser = await chromium.launch(chromiumOptions);

/** A page of a person who has just signed in. */
async function pageOf(person: string): Promise<Page> {
	const context = await browser.newContext({ baseURL: origin, viewport: { width: 1280, height: 800 } });
	const page = await context.newPage();
	await signIn(page, person);
	return page;
}

async function take(page: Page, name: string): Promise<void> {
	await page.evaluate(() => document.fonts.ready);
	await page.waitForTimeout(200);
	await page.screenshot({ path: `docs/screenshots/${name}.png` });
}

/** A part of a page, small, for the handbook. */
async function takePart(part: Locator, name: string): Promise<void> {
	await part.page().waitForTimeout(200);
	await part.screenshot({ path: `docs/handbook/pictures/${name}.png` });
}

const planner = await pageOf('tove.brandal');
await openForm(planner, 'route-contribution');
await unfold(planner, 'Revenue', 'Ticket revenue');
await choose(planner, 'Route', 'Skerrivik – Holmness');
await choose(planner, 'Department', 'Booking office');
for (const [row, text] of [
	['Foot passengers', '+= 4%'],
	['Freight lanes', '110k']
] as const) {
	await (await cellAt(planner, row, 'Jul')).click();
	const answered = planner.waitForResponse((response) => response.url().includes('/enter'));
	await planner.keyboard.type(text);
	await planner.keyboard.press('Enter');
	await answered;
}
await (await cellAt(planner, 'Foot passengers', 'Jul')).click();
await planner.keyboard.press('Control+i');
await planner.getByRole('complementary').waitFor();
await take(planner, 'form');
await takePart(planner.getByRole('complementary'), 'details');
await planner.keyboard.press('F1');
await takePart(planner.getByRole('dialog', { name: 'Legend and keys' }), 'legend');
await planner.keyboard.press('Escape');

await planner.goto('/m/group/insight');
await ready(planner);
await planner.getByRole('link', { name: /Skerry Line/ }).click();
await planner.waitForURL(/boards\/\d+/);
await ready(planner);
await planner.getByRole('treegrid').waitFor();
await planner
	.getByRole('img', { name: /^Its course/ })
	.first()
	.waitFor();
await planner.locator('.apexcharts-series').first().waitFor({ state: 'attached' });
await take(planner, 'planner-board');

const administrator = await pageOf('maren.kvist');
await administrator.goto('/forms/fleet-care/design');
await ready(administrator);
await administrator.getByRole('treegrid', { name: 'Preview of the form' }).waitFor();
await administrator.getByRole('list', { name: 'Blocks on Rows' }).getByRole('listitem').first().click();
await administrator.getByText(/^\s*Gives \d+ members today/).waitFor();
await take(administrator, 'designer');
await administrator.goto('/structure/dimension/account');
await ready(administrator);
await administrator.getByRole('button', { name: 'Details', exact: true }).click();
await administrator.getByRole('gridcell', { name: 'PERSAIL' }).click();
await administrator.getByRole('textbox', { name: 'Live formula' }).waitFor();
await take(administrator, 'structure');
await administrator.getByRole('button', { name: 'Details', exact: true }).click();
await administrator.goto('/data-in/ledger');
await ready(administrator);
await administrator.getByLabel('File to load').setInputFiles('demo/files/ledger-2026-09.csv');
await administrator.getByText('Would load').waitFor();
await administrator.getByRole('button', { name: /^5305/ }).click();
await take(administrator, 'data-in');
await administrator.getByRole('button', { name: /^Load \d/ }).click();
await administrator.getByLabel(/Load good rows/).check();
await administrator.getByRole('button', { name: 'Load now' }).click();
await administrator.getByText('Why rows were rejected').waitFor();
await administrator.goto('/rules/1');
await ready(administrator);
await administrator.getByText('Volumes by last year’s season').first().click();
await administrator.getByRole('button', { name: 'Preview' }).click();
await administrator.getByText(/A run would change/).waitFor();
await take(administrator, 'runbook');
await administrator.goto('/m/route-result/rules');
await ready(administrator);
await administrator.getByRole('link', { name: /Share costs to customers/ }).click();
await ready(administrator);
await administrator.getByText('Resources to activities').first().click();
const look = administrator.getByRole('region', { name: 'How it would go' });
await look
	.getByText(/stranded\. Nothing weighs/)
	.first()
	.waitFor();
await look.scrollIntoViewIfNeeded();
await take(administrator, 'allocation');
await administrator.getByRole('button', { name: 'Run', exact: true }).click();
await administrator.getByRole('link', { name: 'Tie-out' }).click();
await administrator.getByRole('button', { name: /Resources to activities/ }).click();
await administrator.getByRole('link', { name: 'Flow' }).click();
await administrator
	.getByRole('group', { name: 'Flow picture' })
	.getByRole('link', { name: /^Sailing/ })
	.waitFor();
await take(administrator, 'flow');
await administrator.goto('/m/crew/access?view=grants');
await administrator.getByRole('button', { name: /^Tove Brandal at Northgate Line/ }).click();
await administrator.getByRole('button', { name: 'Let read and write' }).click();
await administrator.getByRole('region', { name: 'What this would change' }).waitFor();
await take(administrator, 'grants');
await administrator.goto('/m/group/access/locks');
await ready(administrator);
await administrator.getByRole('gridcell', { name: /^Terminals, Q3 FY2028: held, set here/ }).click();
await administrator.getByRole('complementary', { name: 'Slice' }).getByText('They may still write').waitFor();
await take(administrator, 'locks');
await administrator.goto('/m/group/cycle');
await ready(administrator);
await administrator.getByRole('row', { name: /^Onboard shops/ }).click();
await administrator.getByRole('complementary', { name: 'Unit' }).getByText('returned').first().waitFor();
await take(administrator, 'cycle');
await administrator.getByRole('rowheader', { name: /Skerry Line/ }).click();
await administrator.getByRole('table', { name: 'Figures of Skerry Line' }).waitFor();
await takePart(administrator.getByRole('complementary', { name: 'Unit' }), 'unit');
await administrator.goto('/m/group/branches');
await ready(administrator);
await administrator.getByRole('link', { name: 'Dear fuel' }).click();
await administrator.waitForURL(/~\d+\/branches/);
await ready(administrator);
await administrator.getByRole('button', { name: 'Merge', exact: true }).click();
await take(administrator, 'branch');
await administrator.goto('/m/group/branches/compare?side=plan&side=b1&row=0');
await ready(administrator);
await administrator.getByRole('table', { name: 'Side by side' }).waitFor();
await administrator.locator('.apexcharts-series').first().waitFor();
await take(administrator, 'compare');
await administrator.goto('/m/route-result/forms/route-by-channel');
await ready(administrator);
await (await cellAt(administrator, 'Central sound', 'Web')).click();
await administrator.getByRole('button', { name: 'Details' }).click();
await administrator.getByRole('link', { name: /^Trace/ }).click();
const opens = administrator.getByRole('button', { name: / comes from$/ });
for (let stage = 0; stage < 4; stage++) {
	await opens.nth(stage).click();
	await administrator.getByText('…', { exact: true }).waitFor({ state: 'detached' });
}
await administrator.getByRole('main').getByText('Costs of the group plan').first().waitFor();
await takePart(administrator.getByRole('main').getByRole('list').first(), 'trace');
await administrator.goto('/m/group/desk');
await ready(administrator);
await take(administrator, 'desk');
await administrator.goto('/m/group/insight');
await ready(administrator);
await administrator.getByRole('link', { name: 'Group, in the morning' }).click();
await administrator.waitForURL(/boards\/\d+/);
await ready(administrator);
await administrator.locator('.apexcharts-series').nth(1).waitFor({ state: 'attached' });
await administrator.getByRole('group', { name: /^From Outlook/ }).waitFor();
await take(administrator, 'board');
await administrator
	.getByRole('group', { name: /^From Outlook/ })
	.getByRole('button', { name: /^Revenue/ })
	.click();
await administrator.waitForURL(/insight\/why/);
await ready(administrator);
await administrator.getByRole('group', { name: 'Taken apart by' }).getByRole('button', { name: 'Account', exact: true }).click();
await administrator.getByRole('rowheader', { name: 'Crew and terminal pay' }).waitFor();
await take(administrator, 'why-different');
await administrator.goto('/m/group/insight/explore/view.year-on-year');
await ready(administrator);
await administrator.getByRole('treegrid').waitFor();
await administrator.getByRole('button', { name: /^Line:/ }).click();
await administrator.getByRole('group', { name: 'Line', exact: true }).waitFor();
await take(administrator, 'explorer');
await administrator.goto('/m/group/insight/journal');
await ready(administrator);
await take(administrator, 'journal');
await administrator.goto('/m/group/handbook/formulas');
await ready(administrator);
await administrator.getByText('15,000').waitFor();
await take(administrator, 'handbook');
await browser.close();
