import { expect, test, type Page } from '@playwright/test';
import { execFile } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { Secret, TOTP } from 'otpauth';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import { violations } from './axe';
import { another, ask, ready, signIn } from './people';

const newPage = async (page: Page) =>
	(
		await page
			.context()
			.browser()!
			.newContext({ viewport: { width: 1280, height: 800 } })
	).newPage();

test('people are taken over from the directory, sign on at their organisation, and see what they were given', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/crew/access?view=directory');
	await ready(page);
	await page.getByLabel(/^Crew office/).check();
	await page.getByLabel('Find in the directory').fill('mats');
	await page.getByLabel(/^Mats Oyane/).check();
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	const changes = page.getByRole('list', { name: 'What changes' });
	await expect(changes.getByRole('listitem')).toHaveCount(4);
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Bring up to date' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Brought up to date' })).toBeVisible();
	// Again there is nothing to do.
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	await expect(page.getByText('Everything is as the directory has it.')).toBeVisible();

	// The group gets a role and a line.
	await page.getByRole('link', { name: 'Groups' }).click();
	await page.getByRole('button', { name: 'Crew office' }).click();
	await page.getByLabel('Give a role').selectOption('Planner');
	await page.getByLabel('In which model').selectOption('in New posts');
	await page.getByRole('button', { name: 'Save', exact: true }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Crew office' })).toBeVisible();
	await page.getByRole('link', { name: /^Grants in/ }).click();
	await page.getByRole('button', { name: 'Crew office at Skerry Line: nothing' }).click();
	await page.getByRole('button', { name: 'Let read and write' }).click();
	await expect(page.getByRole('region', { name: 'What this would change' })).toContainText('Ida Lofthus may write at Skerry Line');
	await page.getByRole('button', { name: 'Do it' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Crew office: read and write' })).toBeVisible();

	// Ida comes by the organisation's own sign-on; whom nobody let in is told so.
	const ida = await newPage(page);
	await ida.goto('/m/crew/forms/crew-posts');
	await ready(ida);
	await ida.getByRole('link', { name: /^Sign in with/ }).click();
	await ida.getByRole('link', { name: /^Rannveig Holt/ }).click();
	await expect(ida.getByRole('alert')).toContainText('nobody has let you in here yet');
	await ida.goto('/m/crew/forms/crew-posts');
	await ready(ida);
	await ida.getByRole('link', { name: /^Sign in with/ }).click();
	await ida.getByRole('link', { name: /^Ida Lofthus/ }).click();
	await ida.waitForURL('**/m/crew/forms/crew-posts');
	await ready(ida);
	await expect(ida.getByRole('button', { name: 'Line: Skerry Line' })).toBeVisible();

	// The administrator sees what she sees, and changes nothing in her place.
	await page.getByRole('link', { name: 'People', exact: true }).click();
	await page.getByRole('region', { name: 'People' }).getByRole('button', { name: 'Ida Lofthus' }).click();
	await page.getByRole('button', { name: 'See what they see' }).click();
	await page.waitForURL('**/desk');
	await ready(page);
	await expect(page.getByText('You see what Ida Lofthus sees. Nothing can be changed.')).toBeVisible();
	await page.goto('/m/crew/forms/crew-posts');
	await ready(page);
	await expect(page.getByRole('button', { name: 'Line: Skerry Line' })).toBeVisible();
	await expect(page.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name: 'Access' })).toHaveCount(0);
	await page.locator('[role="gridcell"]').first().click();
	await page.keyboard.type('7');
	await page.keyboard.press('Enter');
	await expect(page.getByText('You see what Ida Lofthus sees, and change nothing.').first()).toBeVisible();
	expect((await ask(page, '/api/theme', { theme: 'night' })).status).toBe(403);
	expect(await violations(page)).toEqual([]);
	await page.goto('/m/crew/account');
	await ready(page);
	await expect(page.getByText('This is Ida Lofthus’s own to see and to set.')).toBeVisible();
	await page.getByRole('button', { name: 'Back to Maren Kvist' }).click();
	await page.waitForURL('**/desk');
	await page.goto('/m/crew/access?view=changes');
	await expect(page.getByText('seen as they see it').first()).toBeVisible();
});

test('a code follows the password once a second factor is set up, and a recovery code where the phone is lost', async ({ page }) => {
	await signIn(page, 'runa.eskild');
	await page.goto('/account');
	await ready(page);
	await page.getByRole('button', { name: 'Set it up' }).click();
	const secret = (await page.locator('section[aria-labelledby="factor"] code').textContent())!.replaceAll(' ', '');
	const code = (ahead = 0) => new TOTP({ secret: Secret.fromBase32(secret) }).generate({ timestamp: Date.now() + ahead * 30_000 });
	expect(await violations(page)).toEqual([]);
	await page.getByLabel('Code', { exact: true }).fill(code());
	await page.getByRole('button', { name: 'Turn it on' }).click();
	const kept = page.getByRole('list', { name: 'Recovery codes' }).getByRole('listitem');
	await expect(kept).toHaveCount(10);
	const codes = await kept.allTextContents();
	await page.getByRole('button', { name: 'I have kept them' }).click();

	let elsewhere = await newPage(page);
	const password = async () => {
		await elsewhere.goto('/sign-in?to=/m/group/forms');
		await ready(elsewhere);
		await elsewhere.getByLabel('E-mail address').fill('runa.eskild@brinewater.example');
		await elsewhere.getByLabel('Password').fill(DEMO_PASSWORD);
		await elsewhere.getByRole('button', { name: 'Sign in' }).click();
	};
	await password();
	const field = elsewhere.getByLabel(/^Code of your second factor/);
	await expect(field).toBeFocused();
	await field.fill('000000');
	await elsewhere.keyboard.press('Enter');
	await expect(elsewhere.getByRole('alert')).toContainText('This code is not right');
	// The code of the set-up was used; the next one is good, a little before its time.
	await field.fill(code(1));
	await elsewhere.keyboard.press('Enter');
	await elsewhere.waitForURL('**/m/group/forms');
	// In another browser yet.
	elsewhere = await newPage(page);
	await password();
	await elsewhere.getByLabel(/^Code of your second factor/).fill(codes[0]!);
	await elsewhere.keyboard.press('Enter');
	await elsewhere.waitForURL('**/m/group/forms');

	// Both are listed; each can be ended; the factor goes with a code.
	await page.reload();
	await ready(page);
	await expect(page.getByText('9 recovery codes are left')).toBeVisible();
	await page
		.getByRole('region', { name: 'Where you are signed in' })
		.getByRole('button', { name: 'Sign out', exact: true })
		.first()
		.click();
	await expect(page.getByRole('status').filter({ hasText: 'Signed out there.' })).toBeVisible();
	await page.getByLabel('Code, now').fill(codes[1]!);
	await page.getByRole('button', { name: 'Take it off' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Your password is enough again.' })).toBeVisible();
});

test('somebody names a substitute, who works in their place under both names', async ({ page, browser }) => {
	await signIn(page, 'tove.brandal');
	await page.goto('/account');
	await ready(page);
	await page.getByLabel(/^Who/).selectOption('Lidia Marne');
	await page.getByLabel(/^to/).fill(new Date().toISOString().slice(0, 10));
	await page.getByRole('button', { name: 'Name them' }).click();
	await expect(page.getByRole('list', { name: 'Substitutes' })).toContainText('Lidia Marne');
	expect(await violations(page)).toEqual([]);

	const lidia = await another(browser, 'lidia.marne');
	await lidia.goto('/account');
	await ready(lidia);
	await lidia.getByRole('button', { name: 'Work in their place' }).click();
	await lidia.waitForURL('**/desk');
	await ready(lidia);
	await expect(lidia.getByText('You are working in the place of Tove Brandal')).toBeVisible();
	await lidia.goto('/m/crew/forms/crew-posts');
	await ready(lidia);
	await lidia.locator('[role="gridcell"]').first().click();
	await lidia.keyboard.type('2');
	await lidia.keyboard.press('Enter');
	await expect(lidia.getByRole('button', { name: /^Save (one|[\d,]+) / })).toBeVisible();
	await lidia.keyboard.press('Control+s');
	await expect(lidia.getByRole('status').filter({ hasText: 'Saved' })).toBeVisible();
	await lidia.goto('/m/crew/desk');
	await expect(lidia.getByText('Tove Brandal, by Lidia Marne').first()).toBeVisible();
	await lidia.getByRole('button', { name: 'Back to Lidia Marne' }).click();
	await lidia.waitForURL('**/desk');
	await expect(lidia.getByText('You are working in the place of')).toHaveCount(0);

	await page.reload();
	await ready(page);
	await page.getByRole('button', { name: 'End it' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'does not stand in for you any more' })).toBeVisible();
});

test('a token is shown once, loads by the command, and lets nobody in once it is ended', async ({ page, baseURL }) => {
	await signIn(page, 'osric.hale');
	await page.goto('/m/group/access?view=programs');
	await ready(page);
	expect(await violations(page)).toEqual([]);
	await page.getByLabel('It is for').fill('Nightly load');
	await page.getByLabel('load files through saved imports').check();
	await page.getByRole('button', { name: 'Make it' }).click();
	const token = (await page.getByLabel('The new token').textContent())!;
	await page.reload();
	await ready(page);
	await expect(page.getByText(token)).toHaveCount(0);
	await expect(page.getByRole('table', { name: 'Access tokens' })).toContainText('Nightly load');

	const models = await fetch(`${baseURL}/api/v1/models`, { headers: { authorization: `Bearer ${token}` } });
	expect(await models.json()).toEqual({ models: [{ code: 'group', name: 'Group plan' }] });
	const refused = await fetch(`${baseURL}/api/v1/models`);
	expect([refused.status, refused.headers.get('www-authenticate')]).toEqual([401, 'Bearer']);
	// A cookie is nothing to it, and a token nothing to pages.
	const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
	expect((await fetch(`${baseURL}/api/v1/models`, { headers: { cookie } })).status).toBe(401);
	expect((await fetch(`${baseURL}/api/m/group/jobs`, { headers: { authorization: `Bearer ${token}` } })).status).toBe(401);
	expect((await fetch(`${baseURL}/scim/v2/Users`, { headers: { authorization: `Bearer ${token}` } })).status).toBe(401);
	expect(((await (await fetch(`${baseURL}/api/v1/openapi.json`)).json()) as { openapi: string }).openapi).toBe('3.1.0');

	const imports = (await (
		await fetch(`${baseURL}/api/v1/models/group/imports`, { headers: { authorization: `Bearer ${token}` } })
	).json()) as {
		imports: { code: string; name: string }[];
	};
	const file = join(mkdtempSync(join(tmpdir(), 'by-token-')), 'none.csv');
	writeFileSync(file, 'Account;Unit;Route;Posting date;Text;Amount\n');
	const run = (...more: string[]) =>
		promisify(execFile)(
			'node',
			['scripts/import.mjs', '--server', baseURL!, '--import', imports.imports[0]!.name, '--file', file, ...more],
			{
				env: { ...process.env, IMPORT_TOKEN: token }
			}
		)
			.then(({ stdout }) => ({ code: 0, stdout }))
			.catch((failure: { code: number; stdout: string }) => failure);
	const done = await run();
	const summary = JSON.parse(done.stdout) as { import: string; message?: string; words?: string };
	expect(summary.import).toBe(imports.imports[0]!.name);
	expect(summary.message ?? summary.words).toBeTruthy();

	await page.getByRole('button', { name: 'End it' }).first().click();
	await expect(page.getByRole('status').filter({ hasText: 'lets nobody in any more' })).toBeVisible();
	expect((await fetch(`${baseURL}/api/v1/models`, { headers: { authorization: `Bearer ${token}` } })).status).toBe(401);
	expect(JSON.parse((await run()).stdout)).toMatchObject({ ok: false, code: 'no token' });
});

test('grants come in as a table, by attribute, and are told in reports', async ({ page }) => {
	await signIn(page, 'maren.kvist');
	await page.goto('/m/crew/access?view=grants');
	await ready(page);
	await page.getByLabel('Whoever is').selectOption('Owner of Line');
	await page.getByRole('button', { name: 'Grant it' }).first().click();
	await expect(page.getByRole('list', { name: 'Grants by attribute' })).toContainText('Owner of Line may read and write there');
	await page.getByRole('list', { name: 'Grants by attribute' }).getByRole('button', { name: 'Take away' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'gives nothing any more' })).toBeVisible();

	await page.getByRole('button', { name: 'Bring grants in' }).click();
	const table = page.getByLabel('Table of grants');
	await table.fill('Who\tMay\tGrant\tLine\nPiet Harrow\tr\tA look\tSKE\nNobody Known\tr\tX\tSKE');
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	await expect(page.getByText('“Nobody Known” is nobody’s address')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Bring them in' })).toBeDisabled();
	await page.getByRole('button', { name: 'Back', exact: true }).click();
	await table.fill('Who\tMay\tGrant\tLine\nPiet Harrow\tr\tA look\tSKE');
	await page.getByRole('button', { name: 'Look at what would change' }).click();
	await expect(page.getByText('Pasted: 1 new, 0 changed')).toBeVisible();
	expect(await violations(page)).toEqual([]);
	await page.getByRole('button', { name: 'Bring them in' }).click();
	await expect(page.getByRole('status').filter({ hasText: 'Brought in: 1 new' })).toBeVisible();

	await page.getByRole('link', { name: 'Reach', exact: true }).click();
	await page.getByLabel(/^Who/).selectOption('Piet Harrow');
	await page.getByLabel('at the members of').selectOption('Line');
	await expect(page.getByRole('row', { name: /Skerry Line/ })).toContainText('reads');
	await expect(page.getByRole('row', { name: /Northgate Line/ })).not.toContainText('reads');
	expect(await violations(page)).toEqual([]);
	const download = page.waitForEvent('download');
	await page.getByRole('link', { name: 'CSV', exact: true }).click();
	expect((await download).suggestedFilename()).toBe('Who reaches Line.csv');
	await page.getByRole('link', { name: 'Unused', exact: true }).click();
	await expect(page.getByRole('table', { name: 'Rights not used in 90 days' })).toContainText('Piet Harrow');
	expect(await violations(page)).toEqual([]);
	await page.getByRole('link', { name: 'Roles', exact: true }).click();
	await page.getByLabel('One role').selectOption('Reviewer');
	await page.getByLabel('The other role').selectOption('Planner');
	await expect(page.getByRole('region', { name: 'Difference of two roles' })).toContainText(
		'Planner alone may enter figures; run runbooks; make branches of the plan and work in them.'
	);
});
