import { describe, expect, test } from 'vitest';
import type { SignedIn } from '../session';
import { clientAddress, readProxies } from './address';
import { limitBody } from './body';
import { admitBody, guardAnswer, ownPlace, refusal, requireOrigin } from '.';
import { Fault } from '../fault';

const ORIGIN = 'https://plan.example';
const SIGN_IN = '/sign-in';
const post = (body: BodyInit | null, headers: Record<string, string> = {}) =>
	new Request(`${ORIGIN}/x`, {
		method: 'POST',
		body,
		headers: { origin: ORIGIN, ...headers },
		...(body instanceof ReadableStream && { duplex: 'half' })
	} as RequestInit);
const statusOf = async (work: () => unknown): Promise<number> => {
	try {
		await work();
	} catch (failure) {
		return (failure as Fault).status;
	}
	return 200;
};

describe('a body', () => {
	/** Pieces of a kilobyte, and how many of them were asked for. */
	const pieces = () => {
		const asked = { count: 0 };
		const stream = new ReadableStream<Uint8Array>({
			pull(controller) {
				asked.count++;
				controller.enqueue(new Uint8Array(1024));
			}
		});
		return { stream, asked };
	};
	test('without a length is counted as it comes, and no more of it is read', async () => {
		const { stream, asked } = pieces();
		const limited = limitBody(post(stream), { bytes: 10 * 1024, words: 'More than %.' });
		await expect(limited.arrayBuffer()).rejects.toMatchObject({ status: 413, message: 'More than 10 kB.' });
		expect(limited.bodyUsed).toBe(true);
		// The rest is thrown away, up to a bound, so that the answer arrives.
		await expect.poll(() => asked.count).toBeGreaterThan(100);
		const most = 66 * 1024;
		await expect.poll(() => asked.count, { timeout: 20_000 }).toBeLessThan(most);
	});
	test('that lies about its length is counted all the same', async () => {
		const { stream } = pieces();
		await expect(limitBody(post(stream, { 'content-length': '5' }), { bytes: 2048, words: '' }).text()).rejects.toMatchObject({
			status: 413
		});
	});
	test('that says it is too large is not read', async () => {
		const { stream, asked } = pieces();
		const before = asked.count;
		expect(await statusOf(() => limitBody(post(stream, { 'content-length': '5000' }), { bytes: 2048, words: '' }))).toBe(413);
		expect(asked.count).toBeLessThanOrEqual(before + 1);
	});
	test('of just the limit comes through as it is', async () => {
		const text = 'é'.repeat(1024);
		expect(await limitBody(post(text), { bytes: 2048, words: '' }).text()).toBe(text);
		await expect(limitBody(post(`${text}x`), { bytes: 2048, words: '' }).text()).rejects.toMatchObject({ status: 413 });
	});
	test('reaches a form of fields', async () => {
		const limited = limitBody(post(new URLSearchParams({ email: 'a@b.example' })), { bytes: 2048, words: '' });
		expect((await limited.formData()).get('email')).toBe('a@b.example');
	});
});

describe('who may send', () => {
	const planner = { name: 'T', permissions: ['form.read', 'form.enter'] } as unknown as SignedIn;
	test('a stranger: what signing in needs, and nothing to the interface', async () => {
		await expect(admitBody(post('x'.repeat(20_000)), SIGN_IN, undefined).text()).rejects.toMatchObject({ status: 413 });
		expect(await admitBody(post('x'.repeat(10_000)), SIGN_IN, undefined).text()).toHaveLength(10_000);
		expect(await statusOf(() => admitBody(post('x'), '/api/m/[model]/files', undefined))).toBe(401);
	});
	test('somebody signed in: only where they may do anything, before a byte is read', async () => {
		expect(await statusOf(() => admitBody(post('x'), '/api/m/[model]/structure/sheet', planner))).toBe(403);
		expect(await statusOf(() => admitBody(post('x'), '/api/m/[model]/forms/[code]/[verb]', planner))).toBe(200);
		// Of one route a reader may ask, and may not change anything: said before the body is judged.
		const reader = { ...planner, permissions: ['form.read', 'rule.read', 'data.read', 'structure.read'] } as unknown as SignedIn;
		const asked = (route: string, verb?: string) => statusOf(() => admitBody(post('x'), route, reader, verb));
		expect(await asked('/api/m/[model]/forms/[code]/[verb]', 'open')).toBe(200);
		expect(await asked('/api/m/[model]/forms/[code]/[verb]', 'enter')).toBe(403);
		expect(await asked('/api/m/[model]/forms/[code]/[verb]', 'constructor')).toBe(200);
		expect(await asked('/api/m/[model]/runbooks/[id]/[verb]', 'read')).toBe(200);
		expect(await asked('/api/m/[model]/runbooks/[id]/[verb]', 'save')).toBe(403);
		expect(await asked('/api/m/[model]/batches/[batch]/[verb]', 'take-back')).toBe(403);
		expect(await asked('/api/m/[model]/rules/[verb]', 'create')).toBe(403);
		expect(await asked('/api/m/[model]/structure/formula')).toBe(403);
		expect(await asked('/api/m/[model]/structure/formula/check')).toBe(200);
		// A route that only begins alike is another one.
		expect(await statusOf(() => admitBody(post('x'), '/api/m/[model]/form-design/[verb]', planner))).toBe(403);
	});
	test('a write comes from a page of ours, by the route and not by how the address is written', async () => {
		const from = (origin: string | null, method = 'POST') =>
			new Request(`${ORIGIN}/%61pi/theme`, { method, headers: origin === null ? {} : { origin } });
		expect(await statusOf(() => requireOrigin(from(ORIGIN), '/api/theme', ORIGIN))).toBe(200);
		for (const origin of [null, 'null', 'https://plan.example.evil.example', 'http://plan.example', `${ORIGIN}:444`])
			for (const method of ['POST', 'DELETE', 'PUT', 'PATCH'])
				for (const route of ['/api/theme', '/sign-in', null])
					expect(await statusOf(() => requireOrigin(from(origin, method), route, ORIGIN))).toBe(403);
		expect(await statusOf(() => requireOrigin(from(null, 'GET'), '/api/theme', ORIGIN))).toBe(200);
		expect(await statusOf(() => requireOrigin(from(null), '/simulated/ledger/postings', ORIGIN))).toBe(200);
	});
	test('a refusal can be shown by a page whose form was sent', async () => {
		const fault = new Fault(403, 'wrong origin', 'From elsewhere.');
		expect(await refusal(fault, post(null, { 'x-sveltekit-action': 'true' })).json()).toEqual({
			type: 'error',
			error: { message: 'From elsewhere.', code: 'wrong origin' }
		});
		expect(await refusal(fault, post(null)).json()).toMatchObject({ code: 'wrong origin', message: 'From elsewhere.' });
	});
});

test('after signing in one goes to places of this application only', () => {
	const own = (wanted: string | null) => ownPlace(wanted, ORIGIN);
	expect(own('/m/group/forms/net-assets?d12=3#row')).toBe('/m/group/forms/net-assets?d12=3#row');
	for (const wanted of [
		null,
		'',
		'//elsewhere.example',
		'/\\elsewhere.example',
		'/\t/elsewhere.example',
		'/\n/elsewhere.example',
		'/\r\n//elsewhere.example',
		'/.//elsewhere.example',
		'/x/..//elsewhere.example',
		'https://elsewhere.example',
		'javascript:alert(1)',
		'desk'
	])
		expect(own(wanted), JSON.stringify(wanted)).toBe('/');
	// A name that only looks like another place.
	expect(own('/%09/elsewhere.example')).toBe('/%09/elsewhere.example');
});

describe('an address', () => {
	const proxies = readProxies('127.0.0.1, 10.1.0.0/16 fd00::/8');
	test.each([
		['203.0.113.9', '198.51.100.1', '203.0.113.9'],
		['127.0.0.1', '198.51.100.1', '198.51.100.1'],
		['::ffff:127.0.0.1', '198.51.100.1', '198.51.100.1'],
		['127.0.0.1', '192.0.2.66, 198.51.100.1, 10.1.2.3', '198.51.100.1'],
		['127.0.0.1', 'unknown', '127.0.0.1'],
		['127.0.0.1', null, '127.0.0.1'],
		['fd00::5', '2001:db8::7', '2001:db8::7']
	])('%s that says %s is %s', (socket, forwarded, wanted) => expect(clientAddress(socket, forwarded, proxies)).toBe(wanted));
	test('nobody is believed where no proxy is known', () =>
		expect(clientAddress('127.0.0.1', '1.2.3.4', readProxies(''))).toBe('127.0.0.1'));
	test('a list that is none is refused', () => expect(() => readProxies('127.0.0.1, nginx')).toThrow('“nginx” is no address of a proxy.'));
});

test('answers carry what guards them', () => {
	const { headers } = guardAnswer(new Response('{}'), { secure: true, isPrivate: true });
	expect(headers.get('content-security-policy')).toContain("default-src 'none'");
	expect(headers.get('cache-control')).toBe('no-store');
	expect(headers.get('strict-transport-security')).toMatch(/max-age=\d{8}/);
	expect(headers.get('cross-origin-opener-policy')).toBe('same-origin');
	// Style elements of the page's own scripts come by the nonce of its scripts.
	const policy = "script-src 'self' 'nonce-abc='; style-src-elem 'self'";
	const styled = guardAnswer(new Response('', { headers: { 'content-security-policy': policy } }), {
		secure: false,
		isPrivate: false
	}).headers;
	expect(styled.get('content-security-policy')).toBe("script-src 'self' 'nonce-abc='; style-src-elem 'self' 'nonce-abc='");
	const page = guardAnswer(new Response('', { headers: { 'content-security-policy': 'own', 'cache-control': 'no-cache, no-transform' } }), {
		secure: false,
		isPrivate: true
	}).headers;
	expect([page.get('content-security-policy'), page.get('strict-transport-security'), page.get('cache-control')]).toEqual([
		'own',
		null,
		'no-store, no-transform'
	]);
});
