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

test('what a stranger sends is counted as it comes, and answered', async ({ baseURL }) => {
	let sent = 0;
	const body = new ReadableStream<Uint8Array>({
		pull(controller) {
			sent += 64 * 1024;
			if (sent > 8 * 1024 * 1024) controller.close();
			else controller.enqueue(new Uint8Array(64 * 1024).fill(97));
		}
	});
	const answer = await fetch(`${baseURL}/sign-in?/password`, {
		method: 'POST',
		body,
		duplex: 'half',
		headers: { origin: baseURL!, 'content-type': 'application/x-www-form-urlencoded', 'x-sveltekit-action': 'true' }
	} as RequestInit);
	expect(await answer.text()).toContain('This is too much for signing in.');
	const api = await fetch(`${baseURL}/api/m/group/files?name=x.csv`, { method: 'POST', body: 'x', headers: { origin: baseURL! } });
	expect(api.status).toBe(401);
});

test('a write from elsewhere is refused however its address is written, and answers are guarded', async ({ page, baseURL }) => {
	await signIn(page, 'tove.brandal');
	const cookie = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
	const person = (await page.locator('[data-person]').first().getAttribute('data-person'))!;
	const post = (path: string, headers: Record<string, string>, body = '{"theme":"night"}') =>
		fetch(`${baseURL}${path}`, { method: 'POST', body, headers: { cookie, 'x-person': person, ...headers } });
	for (const path of ['/api/theme', '/%61pi/theme', '/ap%69/theme', '/api/./theme'])
		for (const headers of [{}, { origin: 'https://elsewhere.example' }, { origin: 'null', 'content-type': 'text/plain' }] as Record<
			string,
			string
		>[])
			expect((await post(path, headers)).status, path).toBe(403);
	expect((await post('/api/theme', { origin: baseURL! }, '{"theme":"paper"}')).status).toBe(200);
	// What no page sends is answered with a sentence, never with a failure of ours.
	for (const body of ['{"theme":"a\\u0000b"}', '['.repeat(5_000) + ']'.repeat(5_000), 'null', '{"__proto__":{"x":1}}', '{'])
		expect((await post('/api/theme', { origin: baseURL! }, body)).status, body.slice(0, 20)).toBe(400);
	for (const path of [
		'/forms/constructor/toString',
		'/forms/route-contribution/__proto__',
		'/forms/%00/open',
		'/runbooks/99999999999999999999/read',
		'/imports/ledger/constructor'
	])
		expect((await post(`/api/m/group${path}`, { origin: baseURL! }, '{}')).status, path).toBeLessThan(500);
	const told = await fetch(`${baseURL}/api/m/group/jobs`, { headers: { cookie } });
	expect(told.headers.get('cache-control')).toContain('no-store');
	expect(told.headers.get('content-security-policy')).toContain("default-src 'none'");
	const shown = await fetch(`${baseURL}/m/group/desk`, { headers: { cookie, 'accept-encoding': 'br' } });
	expect([
		shown.headers.get('cache-control'),
		shown.headers.get('cross-origin-opener-policy'),
		shown.headers.get('content-encoding')
	]).toEqual([expect.stringContaining('no-store'), 'same-origin', 'br']);
	const policy = shown.headers.get('content-security-policy')!;
	expect(policy).toMatch(/style-src-elem 'self' 'nonce-/);
	expect(policy).not.toMatch(/(script-src|style-src|style-src-elem) [^;]*unsafe-inline/);
	// Looked after from outside.
	expect(await (await fetch(`${baseURL}/healthz`)).json()).toEqual({ status: 'alive' });
	expect(await (await fetch(`${baseURL}/readyz`)).json()).toMatchObject({ status: 'ready', database: 'answers', queue: 'running' });
	expect(await (await fetch(`${baseURL}/metrics`)).text()).toContain('lattice_requests_total{route="/api/theme",status="200"}');
	expect((await fetch(`${baseURL}/metrics`, { headers: { 'x-forwarded-for': '203.0.113.9' } })).status).toBe(403);
});

test('after signing out in one tab, another tab hears no more', async ({ page, context }) => {
	await signIn(page, 'tove.brandal');
	const other = await context.newPage();
	await other.goto('/m/group/desk');
	await other.evaluate(async () => {
		const source = new EventSource('/api/m/group/events');
		Object.assign(window, { source });
		await new Promise((done) => source.addEventListener('revision', done, { once: true }));
	});
	await page.getByRole('button', { name: 'Sign out' }).click();
	await page.waitForURL(/sign-in/);
	await other.waitForFunction(() => (window as unknown as { source: EventSource }).source.readyState !== EventSource.OPEN);
});
