import { expect, test } from '@playwright/test';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { READY_ROLES } from '../../src/lib/server/access/ready-roles';
import { ask, another, signIn } from './people';

/**
 * Who gets through to which route of the interface: every route and method that there is, called as nobody, as each role
 * and as somebody who works in another model. A route that is not in this table fails.
 */
type Needs = string | 'signed in';
/** By route and method, what a caller needs; by verb where the route has verbs. A list: one of these. */
const TABLE: Readonly<
	Record<string, Readonly<Record<string, Needs | readonly Needs[] | Readonly<Record<string, Needs | readonly Needs[]>>>>>
> = {
	'/api/account/[verb]': {
		POST: {
			password: 'signed in',
			'end-session': 'signed in',
			'confirm-factor': 'signed in',
			'renew-codes': 'signed in',
			'drop-factor': 'signed in',
			substitute: 'signed in',
			leave: 'signed in'
		}
	},
	'/api/locale': { POST: 'signed in' },
	'/api/marks': { POST: 'signed in' },
	'/api/theme': { POST: 'signed in' },
	'/api/m/[model]/access/[verb]': {
		POST: {
			change: 'access.write',
			'take-back': 'access.write',
			invite: 'access.write',
			effect: 'access.write',
			'drop-factor': 'access.write',
			'hand-on': 'access.write',
			'why-action': 'access.read',
			'look-at-grants': 'access.write',
			'bring-grants': 'access.write',
			directory: 'access.write',
			synchronise: 'access.write',
			look: 'access.look',
			'make-token': 'access.tokens',
			'end-token': 'access.tokens',
			reach: 'access.read',
			matrix: 'access.read',
			why: 'access.read',
			who: 'access.read'
		}
	},
	'/api/m/[model]/access/report': { GET: 'access.read' },
	'/api/m/[model]/access/sheet': { POST: 'access.write' },
	'/api/m/[model]/branches/comparison': { GET: 'form.read' },
	'/api/m/[model]/branches/[verb]': {
		POST: {
			terms: 'branch.write',
			'check-load': 'data.load',
			load: 'data.load',
			'put-back-load': 'data.load',
			make: 'branch.write',
			change: 'branch.write',
			state: 'branch.write',
			drop: 'branch.write',
			'bring-back': 'branch.write',
			copy: 'branch.write',
			'put-back': 'branch.write',
			merge: 'branch.merge',
			'take-back': 'branch.merge',
			changes: 'form.read',
			compare: 'form.read',
			contributions: 'form.read',
			comment: 'form.read',
			freshness: 'form.read',
			asks: 'rule.run',
			run: 'rule.run',
			'run-again': 'rule.run',
			'put-back-run': 'rule.run',
			'take-snapshot': 'branch.write',
			'delete-snapshot': 'branch.write'
		}
	},
	'/api/m/[model]/views/[verb]': {
		POST: {
			start: 'form.read',
			change: 'form.read',
			keep: 'form.read',
			drop: 'form.read',
			'as-form': 'form.design',
			select: 'form.read',
			branch: 'form.read'
		}
	},
	'/api/m/[model]/boards/[verb]': {
		POST: {
			sending: 'form.read',
			'set-sending': 'form.read',
			send: 'form.read',
			figures: 'form.read',
			make: 'form.read',
			ready: 'form.read',
			drivers: 'form.read',
			change: 'form.read',
			copy: 'form.read',
			drop: 'form.read',
			versions: 'form.read',
			restore: 'form.read',
			hide: 'form.read',
			comments: 'form.read',
			say: 'form.read',
			unsay: 'form.read'
		}
	},
	'/api/m/[model]/boards/pictures': { POST: 'form.read' },
	'/api/m/[model]/boards/pictures/[id]': { GET: 'form.read' },
	'/api/m/[model]/insight/files/[id]': { GET: 'form.read' },
	'/api/m/[model]/insight/journal': { GET: 'form.read' },
	'/api/m/[model]/insight/search': { GET: 'form.read' },
	'/api/m/[model]/cycle/[verb]': {
		POST: {
			save: 'cycle.write',
			preview: 'cycle.write',
			copy: 'cycle.write',
			delete: 'cycle.write',
			start: 'cycle.write',
			end: 'cycle.write',
			assign: 'cycle.write',
			move: 'cycle.read',
			look: 'cycle.read',
			unit: 'cycle.read',
			told: 'cycle.read',
			'feed-key': 'cycle.read'
		}
	},
	'/api/m/[model]/locks/[verb]': {
		POST: {
			board: 'access.read',
			slice: 'access.read',
			set: 'lock.write',
			'take-back': 'lock.write',
			drop: 'lock.write',
			drivers: 'lock.write',
			close: 'lock.write',
			sheet: 'lock.write'
		}
	},
	'/api/m/[model]/batches/[batch]/[verb]': {
		GET: 'data.read',
		POST: { reload: 'data.load', 'take-back': 'data.load' }
	},
	'/api/m/[model]/connections': { POST: 'data.write' },
	'/api/m/[model]/desk/checks': { GET: 'structure.write' },
	'/api/m/[model]/desk/moved': { DELETE: 'structure.write' },
	'/api/m/[model]/desk/steps': { DELETE: 'form.read' },
	'/api/m/[model]/events': { GET: 'form.read' },
	'/api/m/[model]/files': { POST: 'data.load' },
	'/api/m/[model]/form-design/[verb]': { POST: { preview: 'form.design', select: 'form.design' } },
	'/api/m/[model]/forms/[code]/[verb]': {
		POST: {
			open: 'form.read',
			enter: 'form.enter',
			save: 'form.enter',
			'take-back': 'form.enter',
			'seek-goal': 'form.enter',
			'try-values': 'form.enter',
			design: 'form.design',
			delete: 'form.design'
		}
	},
	'/api/m/[model]/forms/[code]/download': { GET: 'form.read' },
	'/api/m/[model]/forms/[code]/file': { POST: 'form.enter' },
	'/api/m/[model]/forms/[code]/workbook': { POST: 'form.enter' },
	'/api/m/[model]/forms/files/[id]': { GET: 'form.read' },
	'/api/m/[model]/imports': { POST: 'data.write' },
	'/api/m/[model]/imports/[code]': { GET: 'data.read' },
	'/api/m/[model]/imports/[code]/[verb]': {
		POST: {
			check: 'data.read',
			load: 'data.load',
			fetch: 'data.load',
			edit: 'data.write',
			map: 'data.write',
			schedule: 'data.write',
			remove: 'data.write'
		}
	},
	'/api/m/[model]/imports/[code]/map/[map]': { GET: 'data.read' },
	'/api/m/[model]/imports/cell': { POST: 'data.read' },
	'/api/m/[model]/jobs': { GET: 'data.read' },
	'/api/m/[model]/jobs/[job]': { GET: 'form.read', DELETE: 'form.read' },
	'/api/m/[model]/jobs/events': { GET: 'data.read' },
	'/api/m/[model]/members': { GET: ['structure.read', 'data.read', 'form.enter', 'access.read'] },
	'/api/m/[model]/presets/[verb]': { POST: { uses: 'rule.read', save: 'rule.write', delete: 'rule.write' } },
	'/api/m/[model]/rules/[verb]': { POST: { create: 'rule.write', check: 'rule.read', script: 'rule.read' } },
	'/api/m/[model]/runbooks/[id]/[verb]': {
		POST: {
			asks: 'rule.read',
			read: 'rule.read',
			check: 'rule.read',
			preview: 'rule.read',
			save: 'rule.write',
			copy: 'rule.write',
			delete: 'rule.write',
			schedule: 'rule.write'
		}
	},
	'/api/m/[model]/runs/[id]/[verb]': { POST: { read: ['rule.read', 'rule.run'], 'take-back': 'rule.run', keep: 'rule.write' } },
	'/api/m/[model]/runs/[id]/tie-out': { GET: 'rule.read' },
	'/api/m/[model]/structure/calendar/[verb]': { POST: { extend: 'structure.write', rename: 'structure.write' } },
	'/api/m/[model]/structure/currencies': { POST: 'structure.write' },
	'/api/m/[model]/structure/dimension/[code]': { GET: 'structure.read' },
	'/api/m/[model]/structure/dimension/[code]/[verb]': {
		GET: 'structure.read',
		POST: { edit: 'structure.write', effect: 'structure.write', apply: 'structure.write', undo: 'structure.write' }
	},
	'/api/m/[model]/structure/dimension/[code]/export': { GET: 'structure.read' },
	'/api/m/[model]/structure/dimensions/[verb]': {
		POST: { preview: 'structure.write', add: 'structure.write', 'take-out': 'structure.write' }
	},
	'/api/m/[model]/structure/formula': { GET: 'structure.read', POST: 'structure.write' },
	'/api/m/[model]/structure/formula/check': { POST: 'structure.read' },
	'/api/m/[model]/structure/formula/names': { GET: 'structure.read' },
	'/api/m/[model]/structure/lists': { POST: 'structure.write', DELETE: 'structure.write' },
	'/api/m/[model]/structure/model': { POST: 'structure.write' },
	'/api/m/[model]/structure/package/[verb]': { GET: 'structure.read', POST: { look: 'structure.write', create: 'structure.write' } },
	'/api/m/[model]/structure/rates': { POST: 'structure.write' },
	'/api/m/[model]/structure/rates/[set]/[verb]': { POST: { set: 'structure.write', undo: 'structure.write' } },
	'/api/m/[model]/structure/sheet': { POST: 'structure.write' },
	'/api/m/[model]/structure/variables': { POST: 'structure.write', DELETE: 'structure.write' },
	'/api/m/[model]/trace': { POST: 'form.read' }
};

/** Every route of the interface, with its methods. */
function routes(folder = 'src/routes/api'): { route: string; methods: string[] }[] {
	return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
		const path = join(folder, entry.name);
		if (entry.isDirectory()) return routes(path);
		// What programs ask with a token has its own table of operations, tried by tests of its own.
		if (entry.name !== '+server.ts' || folder.startsWith('src/routes/api/v1')) return [];
		const methods = [...readFileSync(path, 'utf8').matchAll(/^export (?:const|async function|function) (GET|POST|PUT|PATCH|DELETE)\b/gm)];
		return [{ route: `/${folder.replaceAll('\\', '/').replace(/^src\/routes\//, '')}`, methods: methods.map(([, method]) => method!) }];
	});
}

interface Call {
	route: string;
	method: string;
	verb: string;
	needs: readonly string[];
}
const calls: Call[] = Object.entries(TABLE).flatMap(([route, methods]) =>
	Object.entries(methods).flatMap(([method, needs]) =>
		typeof needs === 'string' || Array.isArray(needs)
			? [{ route, method, verb: 'look', needs: [needs].flat() as string[] }]
			: Object.entries(needs as Record<string, Needs | readonly Needs[]>).map(([verb, each]) => ({
					route,
					method,
					verb,
					needs: [each].flat() as string[]
				}))
	)
);
const addressOf = ({ route, verb }: Call, model: string) =>
	route
		.replace('[model]', model)
		.replace('[verb]', verb)
		.replace(/\[(batch|job|id|map|set)\]/g, '999999')
		.replace('[code]', 'not-there') + (route.endsWith('/members') ? '?dimension=1' : '');

/** The answer's status: bodies are empty, and what is named is not there, so that nothing is done. */
async function statusOf(base: string, call: Call, model: string, as?: { cookie: string; person: string }): Promise<number> {
	const stop = new AbortController();
	const response = await fetch(`${base}${addressOf(call, model)}`, {
		method: call.method,
		signal: stop.signal,
		headers: {
			origin: base,
			...(as && { cookie: as.cookie, 'x-person': as.person }),
			...(call.method === 'POST' && { 'content-type': 'application/json' })
		},
		...(call.method === 'POST' && { body: '{}' })
	});
	// Streams would go on.
	stop.abort();
	return response.status;
}

const WHO = {
	administrator: 'maren.kvist',
	controller: 'osric.hale',
	planner: 'tove.brandal',
	reviewer: 'runa.eskild',
	auditor: 'vera.lindmoor'
} as const;
const named = ({ route, method, verb }: Call) => `${method} ${route} ${verb}`;

/** What stands beside the interface, with what nobody who has no token and no session is answered. */
const BESIDE: Readonly<Record<string, number>> = {
	'/api/v1/[...path]': 401,
	'/scim/v2/[...path]': 401,
	'/simulated/directory/scim/v2/[type]': 401,
	'/simulated/ledger/postings': 401,
	// For anybody: whether the server stands, and the way to sign in.
	// Behind a key in its address; this is none.
	'/feed/[key]': 404,
	'/healthz': 200,
	'/readyz': 200,
	'/metrics': 200,
	'/sign-in/provider': 303,
	'/sign-in/return': 303,
	'/simulated/identity/.well-known/openid-configuration': 200,
	'/simulated/identity/keys': 200,
	'/simulated/identity/token': 400
};

/** Every address that answers a program, under whatever folder. */
const answering = (folder: string): string[] =>
	readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
		const path = join(folder, entry.name);
		return entry.isDirectory() ? answering(path) : entry.name === '+server.ts' ? [folder.replace(/^src\/routes/, '')] : [];
	});

test('what stands beside the interface lets nobody in without a token', async ({ baseURL }) => {
	const beside = answering('src/routes').filter((route) => !route.startsWith('/api/') || route.startsWith('/api/v1'));
	expect(beside.sort()).toEqual(Object.keys(BESIDE).sort());
	for (const [route, status] of Object.entries(BESIDE)) {
		const method = route.endsWith('/token') ? 'POST' : 'GET';
		const response = await fetch(`${baseURL}${route.replace('[...path]', 'models').replace('[type]', 'Users')}`, {
			method,
			redirect: 'manual'
		});
		expect(response.status, route).toBe(status);
	}
});

test('every route of the interface lets through who may pass, and nobody else', async ({ browser, page, baseURL }) => {
	const base = baseURL!;
	expect(
		routes()
			.flatMap(({ route, methods }) => methods.map((method) => `${method} ${route}`))
			.sort()
	).toEqual(
		Object.entries(TABLE)
			.flatMap(([route, methods]) => Object.keys(methods).map((method) => `${method} ${route}`))
			.sort()
	);

	for (const call of calls) expect(await statusOf(base, call, 'group'), `nobody: ${named(call)}`).toBe(401);

	const wrong: string[] = [];
	for (const [role, name] of Object.entries(WHO)) {
		const their = await another(browser, name);
		const as = {
			cookie: (await their.context().cookies()).map((each) => `${each.name}=${each.value}`).join('; '),
			person: (await their.locator('[data-person]').first().getAttribute('data-person'))!
		};
		const held: readonly string[] = READY_ROLES.find(({ code }) => code === role)!.permissions;
		for (const call of calls) {
			const status = await statusOf(base, call, 'group', as);
			const may = call.needs.some((need) => need === 'signed in' || held.includes(need));
			if (may ? [401, 403, 500].includes(status) : status !== 403) wrong.push(`${role}: ${named(call)} gave ${status}`);
		}
		await their.context().close();
	}
	expect(wrong).toEqual([]);

	// Somebody who works in another model learns nothing of this one, whatever they may do there.
	await signIn(page, 'maren.kvist');
	const state = { email: 'only.posts@brinewater.example', name: 'Only Posts', title: '', active: true };
	const roles = [{ role: 1, model: 2 }];
	const made = await ask(page, '/api/m/group/access/change', { kind: 'person', id: null, before: null, after: { ...state, roles } });
	expect(made.status, made.text).toBe(200);
	const { id } = JSON.parse(made.text) as { id: number };
	expect((await ask(page, '/api/m/group/access/invite', { id })).status).toBe(200);
	await page.goto('/m/group/access?view=letters');
	await page.getByText('only.posts@brinewater.example').first().click();
	const link = (await page
		.getByText(/\/password\//)
		.first()
		.textContent())!.match(/\/password\/\S+/)![0];
	const theirs = await (await browser.newContext()).newPage();
	await theirs.goto(link);
	await theirs.waitForSelector('[data-ready]');
	await theirs.getByLabel(/^Password/).fill('pebble orchard nineteen');
	await theirs.getByLabel('Once more').fill('pebble orchard nineteen');
	await theirs.getByRole('button', { name: 'Set it' }).click();
	await theirs.waitForURL(/sign-in/);
	await theirs.waitForSelector('[data-ready]');
	await expect(theirs.getByLabel('E-mail address')).toHaveValue(state.email);
	await theirs.getByLabel('Password').fill('pebble orchard nineteen');
	await theirs.getByRole('button', { name: 'Sign in' }).click();
	await theirs.waitForURL('**/m/crew/desk');
	await theirs.waitForSelector('[data-ready]');
	const as = {
		cookie: (await theirs.context().cookies()).map((each) => `${each.name}=${each.value}`).join('; '),
		person: (await theirs.locator('[data-person]').first().getAttribute('data-person'))!
	};
	for (const call of calls.filter(({ route }) => route.includes('[model]'))) {
		expect(await statusOf(base, call, 'group', as), `of another model: ${named(call)}`).toBe(404);
		expect(await statusOf(base, call, 'there-is-none', as), `of no model: ${named(call)}`).toBe(404);
	}
	expect((await theirs.goto('/m/group/desk'))!.status()).toBe(404);
	await expect(theirs.getByText('Group plan')).toHaveCount(0);
	// Off the list again: they have not done anything, but they have been here.
	const left = await ask(page, '/api/m/group/access/change', {
		kind: 'person',
		id,
		before: { ...state, roles },
		after: { ...state, active: false, roles: [] }
	});
	expect(left.status, left.text).toBe(200);
	expect(
		await statusOf(
			base,
			calls.find(({ route }) => route === '/api/m/[model]/jobs')!,
			'crew',
			as
		)
	).toBe(401);
});
