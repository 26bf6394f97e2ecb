import { expect, test } from '@playwright/test';
import { ask, openForm, ready, signIn } from './people';

test('without a session every page leads to the sign-in, and comes back to where one wanted to go', async ({ page }) => {
	await page.goto('/forms/net-assets');
	await expect(page).toHaveURL(/\/sign-in\?to=%2Fforms%2Fnet-assets/);
	await ready(page);
	await page.getByRole('button', { name: /Vera Lindmoor/ }).click();
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByRole('heading', { name: 'Net assets' })).toBeVisible();
	const [cookie] = await page.context().cookies();
	expect(cookie).toMatchObject({ httpOnly: true, sameSite: 'Lax' });
});

test('an address of another site is no place to come back to', async ({ page }) => {
	await page.goto('/sign-in?to=//elsewhere.example/');
	await ready(page);
	await page.getByRole('button', { name: /Vera Lindmoor/ }).click();
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page).toHaveURL(/127\.0\.0\.1:\d+\/m\/group\/desk$/);
});

test('a planner sees no structure and no data in, by link or by address', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	const rail = page.getByRole('navigation', { name: 'Areas' });
	await expect(rail.getByRole('link', { name: 'Forms' })).toBeVisible();
	await expect(rail.getByRole('link', { name: 'Structure' })).toHaveCount(0);
	await page.goto('/structure/dimension/account');
	await expect(page.getByText('Your role does not let you look at the structure of a model.')).toBeVisible();
	await page.goto('/data-in/ledger');
	await expect(page.getByText('Your role does not let you look at imports.')).toBeVisible();
});

test('an auditor reads and cannot type, not even past the page', async ({ page }) => {
	await signIn(page, 'vera.lindmoor');
	await openForm(page, 'route-contribution');
	await expect(page.locator('td.enter, td.spread')).toHaveCount(0);
	const post = (path: string, body: unknown) => ask(page, `/api/m/group${path}`, JSON.stringify(body));
	expect(
		await post('/forms/route-contribution/enter', {
			choices: {},
			entries: { entries: [{ row: 0, column: 0, text: '1' }], structure: 0 }
		})
	).toMatchObject({ status: 403, message: expect.stringContaining('enter figures') });
	expect(await post('/forms/route-contribution/save', { decisions: {} })).toMatchObject({ status: 403 });
	const mayNotLoad = { status: 403, message: expect.stringContaining('load data') };
	expect(await post('/files?import=ledger&name=x.csv', 'x')).toMatchObject(mayNotLoad);
	expect(await post('/imports/ledger/load', { file: 1 })).toMatchObject(mayNotLoad);
	expect(await post('/imports/ledger-service/fetch', {})).toMatchObject(mayNotLoad);
	expect(await post('/batches/1/reload', {})).toMatchObject(mayNotLoad);
	expect(await post('/batches/1/take-back', { withLater: true })).toMatchObject(mayNotLoad);
	const mayNotChange = { status: 403, message: expect.stringContaining('change imports') };
	expect(await post('/imports/ledger/edit', { act: 'name', name: 'x', description: '' })).toMatchObject(mayNotChange);
	expect(await post('/imports', { name: 'x' })).toMatchObject(mayNotChange);
	expect(await post('/connections', { name: 'x', address: 'x' })).toMatchObject({ status: 403 });
});

test('requests that make no sense are answered with a sentence', async ({ page }) => {
	await signIn(page, 'tove.brandal');
	const post = async (path: string, body: string) => {
		const { status, text } = await ask(page, path, body);
		return { status, body: text };
	};
	const forms = '/api/m/group/forms/route-contribution';
	expect(await post(`${forms}/enter`, '{')).toMatchObject({ status: 400 });
	const opened = await post(`${forms}/open`, JSON.stringify({ choices: {} }));
	const { structure } = (JSON.parse(opened.body) as { form: { structure: number } }).form;
	expect(
		await post(`${forms}/enter`, JSON.stringify({ choices: {}, entries: { entries: [{ row: -1, column: 0, text: '1' }], structure } }))
	).toMatchObject({ status: 400 });
	expect(
		await post(`${forms}/enter`, JSON.stringify({ choices: {}, entries: { entries: [{ row: 5_000, column: 0, text: '1' }], structure } }))
	).toMatchObject({ status: 422, body: expect.stringContaining('not on the form any more') });
	expect(await post('/api/m/group/forms/no-such-form/open', JSON.stringify({ choices: {} }))).toMatchObject({
		status: 404,
		body: expect.stringContaining('no such form')
	});
	const odd = await post(`${forms}/open`, JSON.stringify({ choices: { members: { '1': 1.5 } } }));
	expect(odd.status).toBe(400);
	expect(odd.body).not.toMatch(/at .*\.js|node_modules/);
});

test('a request from another site is refused, and the policy keeps scripts out', async ({ page, request }) => {
	await signIn(page, 'tove.brandal');
	const cookies = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
	const answer = await request.post('/api/m/group/forms/route-contribution/discard', {
		headers: { cookie: cookies, origin: 'https://elsewhere.example' }
	});
	expect(answer.status()).toBe(403);
	const policy = (await page.goto('/desk'))!.headers()['content-security-policy']!;
	expect(policy).toContain("default-src 'self'");
	expect(policy).toMatch(/script-src 'self' 'nonce-[^']+'/);
	expect(policy).not.toMatch(/script-src[^;]*unsafe-inline/);
});

test('signing out ends the session, and too many wrong passwords have to wait', async ({ page }) => {
	await signIn(page, 'caspar.dene');
	const stolen = await page.context().cookies();
	await page.getByRole('button', { name: 'Sign out' }).click();
	await page.waitForURL('**/sign-in');
	await page.context().addCookies(stolen);
	await page.goto('/desk');
	await expect(page).toHaveURL(/sign-in/);
	await ready(page);
	for (let attempt = 0; attempt < 9; attempt++) {
		await page.getByLabel('E-mail address').fill('caspar.dene@brinewater.example');
		await page.getByLabel('Password').fill('wrong');
		const answered = page.waitForResponse((response) => response.request().method() === 'POST');
		await page.getByRole('button', { name: 'Sign in' }).click();
		await answered;
		if (attempt === 0) await expect(page.getByRole('alert')).toContainText('do not belong together');
	}
	await expect(page.getByRole('alert')).toContainText('Too many attempts');
});
