import { createServer, type IncomingMessage, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { Secret, TOTP } from 'otpauth';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import { changeAccess, dropFactorOf, readOutbox, readPeople, type SubstituteState } from '../../src/lib/server/access';
import { whileActing } from '../../src/lib/server/acting';
import { closePool } from '../../src/lib/server/database';
import { answerDirectory, lookInDirectory, synchronise } from '../../src/lib/server/directory';
import { stopEngines } from '../../src/lib/server/engine';
import { enterFigures, handOnDraft, openForm, saveDraft } from '../../src/lib/server/form';
import {
	backFromProvider,
	beginFactor,
	confirmFactor,
	dropFactor,
	endSession,
	goToProvider,
	leavePlace,
	makeToken,
	endToken,
	mayStandInFor,
	ownFactor,
	ownSessions,
	personById,
	providerOf,
	readSession,
	readToken,
	rememberBrowser,
	renewCodes,
	requirePermission,
	signIn,
	signInWithCode,
	takePlace,
	type Scope,
	type SignedIn
} from '../../src/lib/server/session';
import { directoryPage, isDirectoryToken } from '../../src/lib/server/simulated/directory';
import { askedFor, grantCode, identityKeys, identityMetadata, redeemCode } from '../../src/lib/server/simulated/identity';
import { freshDatabase } from './demo-database';
import { faultOf } from './fault-of';

/** How people and programs come in: second factor, sessions, places taken, tokens, directories, sign-on. */
let database: Awaited<ReturnType<typeof freshDatabase>>;
const ids = new Map<string, number>();
const TOVE = 'tove.brandal@brinewater.example';
process.env.SECRET_KEY ??= 'a key for tests, long enough';

beforeAll(async () => {
	database = await freshDatabase('ways_in', { demo: true });
	process.env.DATABASE_URL = database.url;
	for (const { id, name } of (await database.pool.query<{ id: number; name: string }>('SELECT id, name FROM person')).rows)
		ids.set(name.split(' ')[0]!, id);
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});
beforeEach(() => database.pool.query('DELETE FROM sign_in_attempt'));

const person = (name: string, model = 1): Promise<SignedIn> => personById(ids.get(name)!, model);
const inSession = async (token: string, model: number | null = 1) => (await readSession(token))?.in(model);

describe('the second factor', () => {
	const codeOf = (secret: string, at = Date.now()) =>
		new TOTP({ secret: Secret.fromBase32(secret.replaceAll(' ', '')) }).generate({ timestamp: at });
	/** Codes of other spans of half a minute than were used. */
	const forget = () => database.pool.query('UPDATE second_factor SET last_step = 0');

	test('holds once its first code was right, and then a code follows the password, each once', async () => {
		const tove = await person('Tove');
		const { secret, address, picture } = await beginFactor(tove);
		expect(address).toContain('otpauth://totp/Noble%20Lattice');
		expect(picture).toContain('<svg');
		// Begun is not set: the password alone is enough still.
		await expect(signIn(TOVE, DEMO_PASSWORD, 'a')).resolves.toBeTypeOf('string');
		expect((await faultOf(confirmFactor(tove, '000000', 'a'))).code).toBe('wrong code');
		const { codes } = await confirmFactor(tove, codeOf(secret), 'a');
		expect(new Set(codes).size).toBe(10);
		const wanted = await faultOf(signIn(TOVE, DEMO_PASSWORD, 'a'));
		expect([wanted.status, wanted.code]).toEqual([401, 'code wanted']);
		const { step } = wanted.details as { step: string };
		// The code of the set-up was used; one of two half-minutes ago is too old.
		expect((await faultOf(signInWithCode(step, codeOf(secret), { address: 'a' }))).code).toBe('wrong code');
		await forget();
		expect((await faultOf(signInWithCode(step, codeOf(secret, Date.now() - 90_000), { address: 'a' }))).code).toBe('wrong code');
		const session = await signInWithCode(step, codeOf(secret), { address: 'a' });
		expect((await inSession(session))!.name).toBe('Tove Brandal');
		// The step is over, and so is the code.
		await forget();
		expect((await faultOf(signInWithCode(step, codeOf(secret), { address: 'a' }))).code).toBe('step over');
		// A recovery code lets in once.
		const second = (await faultOf(signIn(TOVE, DEMO_PASSWORD, 'a'))).details as { step: string };
		await expect(signInWithCode(second.step, codes[0]!.toUpperCase(), { address: 'a' })).resolves.toBeTypeOf('string');
		const third = (await faultOf(signIn(TOVE, DEMO_PASSWORD, 'a'))).details as { step: string };
		expect((await faultOf(signInWithCode(third.step, codes[0]!, { address: 'a' }))).code).toBe('wrong code');
		expect(await ownFactor(tove)).toEqual({ set: true, codes: 9 });
		// New ones end the earlier.
		const renewed = await renewCodes(tove, codes[1]!, 'a');
		expect((await faultOf(renewCodes(tove, codes[2]!, 'a'))).code).toBe('wrong code');
		await dropFactor(tove, renewed.codes[0]!, 'a');
		await expect(signIn(TOVE, DEMO_PASSWORD, 'a')).resolves.toBeTypeOf('string');
	});

	test('is guessed at no more than a password is', async () => {
		const tove = await person('Tove');
		const { secret } = await beginFactor(tove);
		await confirmFactor(tove, codeOf(secret), 'a');
		const { step } = (await faultOf(signIn(TOVE, DEMO_PASSWORD, 'a'))).details as { step: string };
		const tries = await Promise.allSettled(Array.from({ length: 30 }, () => signInWithCode(step, '123456', { address: 'b' })));
		const statuses = tries.map((each) => (each as { reason: { status: number } }).reason.status);
		expect(statuses.filter((status) => status === 401).length).toBeLessThanOrEqual(8);
	});

	test('is taken off by who gives access, and by nobody else; the sessions end', async () => {
		const session = (
			await database.pool.query(
				"INSERT INTO session (token_hash, person_id, expires_at) VALUES ('x', $1, now() + interval '1 day') RETURNING 1",
				[ids.get('Tove')]
			)
		).rowCount;
		expect(session).toBe(1);
		expect((await faultOf(dropFactorOf(await person('Osric'), ids.get('Tove')!))).status).toBe(403);
		await dropFactorOf(await person('Maren'), ids.get('Tove')!);
		await expect(signIn(TOVE, DEMO_PASSWORD, 'a')).resolves.toBeTypeOf('string');
		expect((await database.pool.query("SELECT FROM session WHERE token_hash = 'x'")).rowCount).toBe(0);
		expect((await faultOf(dropFactorOf(await person('Maren'), ids.get('Tove')!))).status).toBe(404);
	});
});

describe('sessions', () => {
	test('end after a day without use, and after two weeks whatever is done', async () => {
		const [idle, old, used] = [
			await signIn(TOVE, DEMO_PASSWORD, 'a'),
			await signIn(TOVE, DEMO_PASSWORD, 'a'),
			await signIn(TOVE, DEMO_PASSWORD, 'a')
		];
		const at = (token: string, change: string) =>
			database.pool.query(`UPDATE session SET ${change} WHERE token_hash = sha256($1::bytea)`, [Buffer.from(token)]);
		await at(idle, "seen_at = now() - interval '25 hours'");
		await at(old, "expires_at = now() - interval '1 minute'");
		await at(used, "seen_at = now() - interval '23 hours'");
		expect([await readSession(idle), await readSession(old), (await inSession(used))?.name]).toEqual([
			undefined,
			undefined,
			'Tove Brandal'
		]);
		// Used: the hours begin anew.
		const seen = await database.pool.query<{ fresh: boolean }>(
			"SELECT seen_at > now() - interval '1 minute' AS fresh FROM session WHERE token_hash = sha256($1::bytea)",
			[Buffer.from(used)]
		);
		expect(seen.rows[0]!.fresh).toBe(true);
	});

	test('are listed with where they are, and ended one by one', async () => {
		const here = await signIn(TOVE, DEMO_PASSWORD, {
			address: '192.0.2.7',
			userAgent: 'Mozilla/5.0 (X11; Linux x86_64) Chrome/131.0.0.0 Safari/537.36'
		});
		const elsewhere = await signIn(TOVE, DEMO_PASSWORD, '192.0.2.8');
		const tove = await person('Tove');
		const listed = await ownSessions(tove, here);
		expect(listed.find((each) => each.here)).toMatchObject({ address: '192.0.2.7', browser: 'Chrome 131, Linux' });
		const other = listed.find(({ address }) => address === '192.0.2.8')!;
		expect((await faultOf(endSession(await person('Imke'), other.id))).status).toBe(404);
		await endSession(tove, other.id);
		expect(await readSession(elsewhere)).toBeUndefined();
		expect(await readSession(here)).toBeDefined();
	});

	test('a sign-in from a browser that is not known is told by a letter, the first one of all is not', async () => {
		const letters = async () =>
			(await readOutbox(await person('Maren'))).filter(
				({ address, subject }) => address === 'piet.harrow@brinewater.example' && subject.includes('signed in')
			);
		const first = await signIn('piet.harrow@brinewater.example', DEMO_PASSWORD, 'a');
		expect(await letters()).toEqual([]);
		const browser = (await rememberBrowser(first))!;
		await signIn('piet.harrow@brinewater.example', DEMO_PASSWORD, { address: 'a', browser });
		expect(await letters()).toEqual([]);
		await signIn('piet.harrow@brinewater.example', DEMO_PASSWORD, { address: '198.51.100.4' });
		expect((await letters())[0]!.body).toContain('198.51.100.4');
	});
});

describe('the place of another', () => {
	const today = new Date().toISOString().slice(0, 10);
	const ofTove = (change: Partial<SubstituteState> = {}): SubstituteState => ({
		person: ids.get('Tove')!,
		substitute: ids.get('Imke')!,
		from: today,
		until: today,
		...change
	});
	const put = async (who: string, id: number | null, before: SubstituteState | null, after: SubstituteState | null) =>
		changeAccess(await person(who), 1, { kind: 'substitute', id, before, after });

	test('is looked into by who may, changing nothing, and told in the journal', async () => {
		const session = await signIn('maren.kvist@brinewater.example', DEMO_PASSWORD, 'a');
		expect((await faultOf(takePlace(await person('Osric'), 'no token', ids.get('Tove')!, 'look'))).status).toBe(403);
		await takePlace((await inSession(session))!, session, ids.get('Tove')!, 'look');
		const seen = (await inSession(session))!;
		expect([seen.name, seen.acting]).toEqual(['Tove Brandal', { id: ids.get('Maren'), name: 'Maren Kvist', way: 'look' }]);
		// What Tove may is shown; doing it is refused.
		expect(seen.permissions).toContain('form.enter');
		expect(requirePermission(seen, 'form.read')).toBe(seen);
		expect(() => requirePermission(seen, 'form.enter')).toThrow('You see what Tove Brandal sees, and change nothing.');
		expect((await faultOf(takePlace(seen, session, ids.get('Imke')!, 'look'))).status).toBe(409);
		// Who is let go meanwhile looks no more.
		await database.pool.query("DELETE FROM role_permission WHERE permission = 'access.look'");
		expect((await inSession(session))!.name).toBe('Maren Kvist');
		await database.pool.query("INSERT INTO role_permission SELECT id, 'access.look' FROM role WHERE code = 'administrator'");
		await leavePlace(session);
		expect((await inSession(session))!.acting).toBeUndefined();
		const told = await database.pool.query<{ words: string }>("SELECT words FROM access_change WHERE kind = 'place' AND person_id = $1", [
			ids.get('Maren')
		]);
		expect(told.rows).toEqual([{ words: 'seen as they see it' }]);
	});

	test('is taken by a substitute on the days they were named for, with the draft, under both names', async () => {
		const session = await signIn('imke.solberg@brinewater.example', DEMO_PASSWORD, 'a');
		const imke = (await inSession(session))!;
		expect((await faultOf(takePlace(imke, session, ids.get('Tove')!, 'stand in'))).status).toBe(403);
		// Nobody names a substitute for somebody else, but who gives access.
		expect((await faultOf(put('Piet', null, null, ofTove()))).status).toBe(403);
		expect((await faultOf(put('Tove', null, null, ofTove({ substitute: ids.get('Tove')! })))).status).toBe(400);
		expect((await faultOf(put('Tove', null, null, ofTove({ until: '2020-01-01' })))).message).toContain('is before the first day');
		const later = await put('Tove', null, null, ofTove({ from: '2099-01-01', until: '2099-01-31' }));
		expect(await mayStandInFor(imke)).toEqual([]);
		const { id } = await put('Tove', null, null, ofTove());
		expect(await mayStandInFor(imke)).toEqual([{ id: ids.get('Tove'), name: 'Tove Brandal', until: today }]);
		await takePlace(imke, session, ids.get('Tove')!, 'stand in');
		const standing = (await inSession(session))!;
		expect([standing.id, standing.acting?.name, standing.permissions.includes('form.enter')]).toEqual([
			ids.get('Tove'),
			'Imke Solberg',
			true
		]);
		// Imke types into Tove's draft and saves it.
		const code = await firstFormOf(standing);
		const open = await openForm(standing, 1, code, { members: {} });
		const place = open.form.marks.indexOf('e');
		const [row, column] = [Math.floor(place / open.form.columns.length), place % open.form.columns.length];
		await whileActing(imke.id, async () => {
			await enterFigures(standing, 1, code, { members: {} }, { entries: [{ row, column, text: '12345' }], structure: open.form.structure });
			await saveDraft(standing, 1, code, { keepMine: [], takeTheirs: [] });
		});
		const saved = await database.pool.query<{ who: string }>(
			'SELECT doer(person_id, acting_id) AS who FROM change_set WHERE acting_id IS NOT NULL'
		);
		expect(saved.rows).toEqual([{ who: 'Tove Brandal, by Imke Solberg' }]);
		// Ended: the place is Imke's own at once.
		await put('Tove', id, ofTove(), null);
		expect((await inSession(session))!.name).toBe('Imke Solberg');
		await put('Maren', later.id, ofTove({ from: '2099-01-01', until: '2099-01-31' }), null);
	});

	/** A form with a cell to type into. */
	async function firstFormOf(reader: SignedIn): Promise<string> {
		const forms = await database.pool.query<{ code: string }>('SELECT code FROM form WHERE model_id = 1 ORDER BY id');
		for (const { code } of forms.rows) {
			const open = await openForm(reader, 1, code, { members: {} }).catch(() => undefined);
			if (open?.form.marks.includes('e')) return code;
		}
		throw new Error('no form to type into');
	}
});

test('the draft of somebody who was let go is handed on; where the other has typed, their own stays', async () => {
	const draft = async (name: string, cells: [period: number, value: number][]) => {
		const made = await database.pool.query<{ id: number }>(
			'INSERT INTO draft (person_id, model_id) VALUES ($1, 1) ON CONFLICT (person_id, model_id, coalesce(branch_id, 0)) DO UPDATE SET version = draft.version + 1 RETURNING id',
			[ids.get(name)]
		);
		for (const [period, value] of cells)
			await database.pool.query('INSERT INTO draft_cell (draft_id, address, period_id, value) VALUES ($1, $2, $3, $4)', [
				made.rows[0]!.id,
				[1, 2, 3],
				period,
				value
			]);
	};
	const periods = (await database.pool.query<{ id: number }>('SELECT member_id AS id FROM period ORDER BY member_id LIMIT 3')).rows.map(
		({ id }) => id
	);
	await draft('Piet', [
		[periods[0]!, 1],
		[periods[1]!, 2]
	]);
	await draft('Lidia', [
		[periods[1]!, 20],
		[periods[2]!, 30]
	]);
	const asked = { from: ids.get('Piet')!, to: ids.get('Lidia')!, model: 1 };
	expect((await faultOf(handOnDraft(await person('Maren'), asked))).code).toBe('is active');
	await database.pool.query('UPDATE person SET active = false WHERE id = $1', [asked.from]);
	expect((await faultOf(handOnDraft(await person('Osric'), asked))).status).toBe(403);
	expect((await faultOf(handOnDraft(await person('Maren'), { ...asked, to: ids.get('Vera')! }))).code).toBe('may not enter');
	const line = (await readPeople(await person('Maren'))).find(({ id }) => id === asked.from)!;
	expect(line.drafts).toEqual([{ model: 1, name: 'Group plan', cells: 2 }]);
	expect(await handOnDraft(await person('Maren'), asked)).toEqual({ cells: 1, stay: 1 });
	const cells = await database.pool.query<{ value: number }>(
		'SELECT c.value FROM draft_cell c JOIN draft d ON d.id = c.draft_id WHERE d.person_id = $1 AND c.period_id = ANY ($2) AND c.address = $3 ORDER BY c.period_id',
		[asked.to, periods, [1, 2, 3]]
	);
	expect(cells.rows.map(({ value }) => value)).toEqual([1, 20, 30]);
	// Again nothing more goes over.
	expect(await handOnDraft(await person('Maren'), asked)).toEqual({ cells: 0, stay: 1 });
	await database.pool.query('DELETE FROM draft WHERE person_id = ANY ($1)', [[asked.from, asked.to]]);
	await database.pool.query('UPDATE person SET active = true WHERE id = $1', [asked.from]);
});

describe('access tokens', () => {
	const asked = (scopes: Scope[], more = {}) => ({ name: 'Month end', scopes, here: false, days: 30, ...more });

	test('keep no more of their owner than they are for, in their model, until their day', async () => {
		const osric = await person('Osric');
		const { token } = await makeToken(osric, 1, asked(['load'], { here: true }));
		expect(token).toMatch(/^nlat_[\w-]{43}$/);
		const { known, scopes } = (await readToken(token))!;
		expect([scopes, known.in(1).permissions.sort(), known.mayEnter(1), known.mayEnter(2)]).toEqual([
			['load'],
			['data.load', 'data.read'],
			true,
			false
		]);
		// What the owner loses, the token loses.
		await database.pool.query(
			"DELETE FROM role_permission rp USING role r WHERE r.id = rp.role_id AND r.code = 'controller' AND permission = 'data.load'"
		);
		expect((await readToken(token))!.known.in(1).permissions).toEqual(['data.read']);
		await database.pool.query("INSERT INTO role_permission SELECT id, 'data.load' FROM role WHERE code = 'controller'");
		await database.pool.query('UPDATE access_token SET expires_at = now()');
		expect(await readToken(token)).toBeUndefined();
		expect(await readToken(`${token}x`)).toBeUndefined();
	});

	test('are made by who may, for what they may, and ended by them or by who gives access', async () => {
		expect((await faultOf(makeToken(await person('Tove'), 1, asked(['read'])))).status).toBe(403);
		expect((await faultOf(makeToken(await person('Osric'), 1, asked(['people'])))).status).toBe(422);
		const osric = await makeToken(await person('Osric'), 1, asked(['read', 'run']));
		const { id } = (await database.pool.query<{ id: number }>('SELECT max(id) AS id FROM access_token')).rows[0]!;
		await endToken(await person('Maren'), id);
		expect(await readToken(osric.token)).toBeUndefined();
		expect((await faultOf(endToken(await person('Maren'), id))).status).toBe(404);
		const maren = await makeToken(await person('Maren'), 1, asked(['people']));
		const { id: other } = (await database.pool.query<{ id: number }>('SELECT max(id) AS id FROM access_token')).rows[0]!;
		expect((await faultOf(endToken(await person('Osric'), other))).status).toBe(404);
		expect((await readToken(maren.token))!.known.in(null).everywhere!.sort()).toEqual(['access.read', 'access.write']);
	});
});

/** A server of this test, in the place of one of another house. */
async function serve(
	answer: (request: IncomingMessage, url: URL, body: string) => Promise<unknown>
): Promise<{ origin: string; server: Server }> {
	const server = createServer((request, response) => {
		let body = '';
		request.on('data', (part: Buffer) => (body += part.toString()));
		request.on('end', () => {
			const url = new URL(request.url!, `http://${request.headers.host}`);
			void answer(request, url, body).then((found) => {
				response.writeHead(found === undefined ? 400 : 200, { 'content-type': 'application/json' });
				response.end(JSON.stringify(found ?? { error: 'invalid' }));
			});
		});
	});
	await new Promise<void>((ready) => server.listen(0, '127.0.0.1', ready));
	return { origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, server };
}

describe('a directory that pushes', () => {
	const scim = async (method: string, path: string, body?: unknown, who = 'Maren') => {
		const response = await answerDirectory(await person(who), {
			request: new Request(`http://x/scim/v2/${path}`, { method, ...(body !== undefined && { body: JSON.stringify(body) }) }),
			path: path.split('?')[0]!,
			search: new URL(`http://x/${path}`).searchParams,
			base: 'http://x/scim/v2'
		});
		const text = await response.text();
		return {
			status: response.status,
			body: (text === '' ? {} : JSON.parse(text)) as Record<string, never> & { id: string; totalResults: number }
		};
	};
	const user = {
		schemas: [],
		userName: 'nils.torv@brinewater.example',
		displayName: 'Nils Torv',
		externalId: 'e-77',
		title: 'Clerk',
		active: true
	};

	test('makes, finds, changes and lets go people, who are never deleted', async () => {
		const made = await scim('POST', 'Users', user);
		expect([made.status, made.body]).toMatchObject([
			201,
			{ userName: user.userName, externalId: 'e-77', active: true, meta: { resourceType: 'User' } }
		]);
		expect((await scim('POST', 'Users', user)).status).toBe(409);
		const { id } = made.body;
		expect((await scim('GET', 'Users?filter=userName eq "nils.torv@brinewater.example"')).body.totalResults).toBe(1);
		expect((await scim('GET', 'Users?filter=externalId eq "e-78"')).body.totalResults).toBe(0);
		expect((await scim('GET', 'Users?startIndex=2&count=3')).body).toMatchObject({ startIndex: 2, itemsPerPage: 3 });
		expect((await scim('GET', 'Users?filter=userName zz "')).body).toMatchObject({ scimType: 'invalidFilter', status: '400' });
		// Operations as directories send them: in any case, with a path or without.
		const patch = (...Operations: unknown[]) =>
			scim('PATCH', `Users/${id}`, { schemas: ['urn:ietf:params:scim:api:messages:2.0:PatchOp'], Operations });
		expect((await patch({ op: 'Replace', path: 'title', value: 'Head clerk' })).body).toMatchObject({ title: 'Head clerk' });
		expect((await patch({ op: 'replace', value: { active: false } })).body).toMatchObject({ active: false });
		expect((await patch({ op: 'replace', path: 'active', value: 'True' })).body).toMatchObject({ active: true });
		expect((await patch({ op: 'move', path: 'title', value: 'x' })).status).toBe(400);
		expect((await scim('PUT', `Users/${id}`, { ...user, title: 'Clerk' })).body).toMatchObject({ title: 'Clerk' });
		expect((await scim('DELETE', `Users/${id}`)).status).toBe(204);
		expect((await scim('GET', `Users/${id}`)).status).toBe(404);
		const people = await readPeople(await person('Maren'));
		expect(people.find((each) => String(each.id) === id)!.state.active).toBe(false);
		// Who comes back is who they were.
		expect((await scim('POST', 'Users', user)).body.id).toBe(id);
	});

	test('keeps groups, and what is wrong is told in its own form', async () => {
		const [one, two] = ['nils.torv', 'runa.eskild'].map((name) => `${name}@brinewater.example`);
		const idOf = async (address: string) =>
			((await scim('GET', `Users?filter=userName eq "${address}"`)).body as unknown as { Resources: { id: string }[] }).Resources[0]!.id;
		const [nils, runa] = [await idOf(one!), await idOf(two!)];
		const made = await scim('POST', 'Groups', { displayName: 'Clerks', members: [{ value: nils }] });
		expect(made).toMatchObject({ status: 201, body: { displayName: 'Clerks', members: [{ value: nils, display: 'Nils Torv' }] } });
		const patch = (...Operations: unknown[]) => scim('PATCH', `Groups/${made.body.id}`, { Operations });
		expect((await patch({ op: 'add', path: 'members', value: [{ value: runa }] })).body).toMatchObject({
			members: [{ value: nils }, { value: runa }].sort((a, b) => Number(a.value) - Number(b.value))
		});
		expect((await patch({ op: 'remove', path: `members[value eq "${nils}"]` })).body).toMatchObject({ members: [{ value: runa }] });
		expect((await patch({ op: 'add', path: 'members', value: [{ value: '999999' }] })).body).toMatchObject({
			status: '400',
			scimType: 'invalidValue'
		});
		expect((await scim('POST', 'Groups', { displayName: 'clerks' })).body).toMatchObject({ status: '409', scimType: 'uniqueness' });
		expect((await scim('DELETE', `Groups/${made.body.id}`)).status).toBe(204);
		expect((await scim('GET', 'Groups', undefined, 'Osric')).status).toBe(403);
		expect((await scim('GET', 'Things')).status).toBe(404);
		expect((await scim('POST', 'Users', { displayName: 'x' })).body).toMatchObject({ status: '400', scimType: 'invalidValue' });
		expect((await scim('GET', 'ServiceProviderConfig')).body).toMatchObject({ patch: { supported: true } });
		expect((await scim('GET', 'Schemas')).body.totalResults).toBe(2);
		expect((await scim('GET', `Schemas/${encodeURIComponent('urn:ietf:params:scim:schemas:core:2.0:User')}`)).body).toMatchObject({
			name: 'User'
		});
	});

	test('adds to a group what two send at once, keeps who was let go here, and is led nowhere else', async () => {
		const idOf = async (name: string) =>
			((await scim('GET', `Users?filter=userName eq "${name}@brinewater.example"`)).body as unknown as { Resources: { id: string }[] })
				.Resources[0]!.id;
		const [imke, lidia, piet] = await Promise.all(['imke.solberg', 'lidia.marne', 'piet.harrow'].map(idOf));
		const made = await scim('POST', 'Groups', { displayName: 'At once' });
		const added = await Promise.all(
			[imke, lidia, piet].map((value) =>
				scim('PATCH', `Groups/${made.body.id}`, { Operations: [{ op: 'add', path: 'members', value: [{ value }] }] })
			)
		);
		expect(added.map(({ status }) => status)).toEqual([200, 200, 200]);
		expect((await scim('GET', `Groups/${made.body.id}`)).body).toMatchObject({
			members: [imke, lidia, piet].sort((one, other) => Number(one) - Number(other)).map((value) => ({ value }))
		});
		await scim('DELETE', `Groups/${made.body.id}`);
		// Let go here: a directory that does not say whether somebody is active does not bring them back.
		const { id } = (await scim('POST', 'Users', { userName: 'olga.tarn@brinewater.example', displayName: 'Olga Tarn' })).body;
		await scim('PATCH', `Users/${id}`, { Operations: [{ op: 'replace', path: 'active', value: false }] });
		expect((await scim('PUT', `Users/${id}`, { userName: 'olga.tarn@brinewater.example', displayName: 'Olga T.' })).body).toMatchObject({
			active: false,
			displayName: 'Olga T.'
		});
		for (const path of ['__proto__.polluted', 'constructor.prototype.polluted'])
			expect((await scim('PATCH', `Users/${id}`, { Operations: [{ op: 'add', path, value: 'x' }] })).status).toBe(400);
		expect(({} as { polluted?: string }).polluted).toBeUndefined();
		for (const type of ['constructor', '__proto__', 'toString']) expect((await scim('GET', type)).status).toBe(404);
	});

	test('does not take the last administrator away', async () => {
		const found = await scim('GET', 'Users?filter=userName eq "maren.kvist@brinewater.example"');
		const [maren] = (found.body as unknown as { Resources: { id: string }[] }).Resources;
		const refused = await scim('DELETE', `Users/${maren!.id}`);
		expect(refused.body).toMatchObject({ status: '400', detail: expect.stringContaining('Nobody would be left') as string });
	});
});

describe('a directory that is asked', () => {
	let origin: string;
	let server: Server;
	/** What stands in for the directory when it is other than the simulated one. */
	let changed: { people: (user: Record<string, unknown>) => Record<string, unknown> | undefined; groups: (id: string) => boolean };
	beforeAll(async () => {
		changed = { people: (user) => user, groups: () => true };
		({ origin, server } = await serve(async (request, url) => {
			const type = /\/simulated\/directory\/scim\/v2\/(\w+)$/.exec(url.pathname)?.[1] ?? '';
			if (!isDirectoryToken((request.headers.authorization ?? '').slice(7))) return undefined;
			const page = directoryPage(type, url.searchParams) as { Resources: Record<string, unknown>[] } | undefined;
			if (!page) return undefined;
			const Resources = page.Resources.flatMap((each) =>
				type === 'Groups' ? (changed.groups(String(each.id)) ? [each] : []) : (changed.people(each) ?? [])
			);
			return { ...page, totalResults: Resources.length, Resources };
		}));
	});
	afterAll(() => server.close());
	const picks = { people: ['d-107'], groups: ['crew'] };
	const bring = async (preview: boolean, chosen = picks) => synchronise(await person('Maren'), { picks: chosen, preview }, origin);

	test('is searched by name, and tells who is known', async () => {
		const found = await lookInDirectory(await person('Maren'), 'brandal', origin);
		expect([found.people.map(({ name, known }) => [name, known]), found.groups.map(({ name }) => name)]).toEqual([
			[['Tove Brandal', true]],
			['Planners', 'Controlling', 'Crew office']
		]);
		expect((await faultOf(lookInDirectory(await person('Osric'), '', origin))).status).toBe(403);
	});

	test('gives people and groups, looked at first, once, and again when they changed', async () => {
		const looked = await bring(true);
		expect(looked.lines.map(({ what, name }) => [what, name])).toEqual([
			['new', 'Mats Oyane'],
			['new', 'Tomas Ekre'],
			['new', 'Ida Lofthus'],
			['group', 'Crew office']
		]);
		expect((await database.pool.query("SELECT FROM person WHERE name = 'Ida Lofthus'")).rowCount).toBe(0);
		await bring(false);
		expect((await bring(true)).lines).toEqual([]);
		const members = await database.pool.query<{ name: string }>(
			"SELECT p.name FROM people_group g JOIN people_group_member m ON m.group_id = g.id JOIN person p ON p.id = m.person_id WHERE g.name = 'Crew office' ORDER BY p.name"
		);
		expect(members.rows.map(({ name }) => name)).toEqual(['Ida Lofthus', 'Tomas Ekre']);
		// Renamed, gone and no longer working there.
		changed.people = (user) =>
			user.id === 'd-107' ? { ...user, displayName: 'Mats Oyane-Dahl' } : user.id === 'd-105' ? { ...user, active: false } : user;
		expect((await bring(true)).lines.map(({ what, name, words }) => [what, name, words])).toEqual([
			['changed', 'Mats Oyane-Dahl', 'was called Mats Oyane'],
			['left', 'Ida Lofthus', 'is deactivated: the directory says that they left'],
			['group', 'Crew office', '1 out']
		]);
		await bring(false);
		const ida = await database.pool.query<{ active: boolean }>("SELECT active FROM person WHERE name = 'Ida Lofthus'");
		expect(ida.rows).toEqual([{ active: false }]);
		expect((await bring(true)).lines).toEqual([]);
	});

	test('a group that vanished leaves its people as they are; a pick that is taken back lets them go', async () => {
		changed.groups = (id) => id !== 'crew';
		expect((await bring(true)).lines.map(({ what, name }) => [what, name])).toEqual([['gone', 'Crew office']]);
		await bring(false);
		expect((await database.pool.query("SELECT FROM person WHERE name = 'Tomas Ekre' AND active")).rowCount).toBe(1);
		changed.groups = () => true;
		const lines = (await bring(false, { people: ['d-107'], groups: [] })).lines;
		expect(lines.map(({ what, name }) => [what, name])).toEqual([['left', 'Tomas Ekre']]);
	});

	test('that cannot be reached, or answers otherwise, changes nothing and says so', async () => {
		expect((await faultOf(synchronise(await person('Maren'), { picks, preview: false }, 'http://127.0.0.1:9'))).code).toBe(
			'directory away'
		);
		process.env.DIRECTORY_URL = `${origin}/elsewhere`;
		expect((await faultOf(bring(true))).code).toBe('directory away');
		delete process.env.DIRECTORY_URL;
	});
});

describe('single sign-on', () => {
	let origin: string;
	let server: Server;
	beforeAll(async () => {
		({ origin, server } = await serve(async (request, url, body) => {
			const issuer = `${url.origin}/simulated/identity`;
			if (url.pathname.endsWith('/openid-configuration')) return identityMetadata(issuer);
			if (url.pathname.endsWith('/keys')) return identityKeys();
			const form = new FormData();
			for (const [name, value] of new URLSearchParams(body)) form.set(name, value);
			return request.method === 'POST' ? redeemCode(form, issuer) : undefined;
		}));
	});
	afterAll(() => server.close());

	/** Goes there, is whoever is picked, and comes back. */
	async function comeBackAs(subject: string, change: (address: URL) => void = () => {}, otherKept?: string) {
		const provider = (await providerOf(origin))!;
		const { address, kept } = await goToProvider(provider, `${origin}/sign-in/return`, '/m/group/desk');
		const asked = askedFor(new URL(address).searchParams, origin)!;
		const back = new URL(`${origin}/sign-in/return?${new URLSearchParams({ code: grantCode(asked, subject)!, state: asked.state })}`);
		change(back);
		return { again: () => backFromProvider(provider, back, kept), back: await backFromProvider(provider, back, otherKept ?? kept) };
	}

	test('lets in whom the provider vouches for, by address at first and by what it calls them from then on', async () => {
		const { back, again } = await comeBackAs('d-003');
		expect(back).toEqual({ person: ids.get('Tove'), to: '/m/group/desk' });
		// A code is good once.
		expect((await faultOf(again())).code).toBe('sign-on refused');
		await database.pool.query("UPDATE person SET email = 'tove@elsewhere.example' WHERE id = $1", [ids.get('Tove')]);
		expect((await comeBackAs('d-003')).back.person).toBe(ids.get('Tove'));
		await database.pool.query('UPDATE person SET email = $2, active = false WHERE id = $1', [ids.get('Tove'), TOVE]);
		expect((await faultOf(comeBackAs('d-003'))).code).toBe('not known');
		await database.pool.query('UPDATE person SET active = true WHERE id = $1', [ids.get('Tove')]);
	});

	test('refuses another state, another browser, and whom nobody has let in here', async () => {
		expect((await faultOf(comeBackAs('d-003', (back) => back.searchParams.set('state', 'another')))).code).toBe('sign-on refused');
		expect((await faultOf(comeBackAs('d-003', () => {}, ''))).code).toBe('sign-on over');
		expect((await faultOf(comeBackAs('d-103'))).code).toBe('not known');
		// Somebody who left is not among those the provider lets through at all.
		expect(grantCode({ redirect: '', nonce: '', challenge: '' }, 'd-106')).toBeUndefined();
	});

	test('asks no password only on one’s own machine, unless an installation says so', async () => {
		expect(await providerOf('https://plan.example')).toBeUndefined();
		process.env.SIGN_ON = 'stand-in';
		expect((await providerOf('https://plan.example'))!.issuer).toBe('https://plan.example/simulated/identity');
		delete process.env.SIGN_ON;
	});

	test('can be switched off, and so can passwords', async () => {
		process.env.SIGN_ON = 'off';
		process.env.PASSWORDS = 'off';
		expect(await providerOf(origin)).toBeUndefined();
		expect((await faultOf(signIn(TOVE, DEMO_PASSWORD, 'a'))).code).toBe('no passwords');
		delete process.env.SIGN_ON;
		delete process.env.PASSWORDS;
	});

	test('is asked in the open on this machine only', async () => {
		process.env.SIGN_ON_ISSUER = 'http://identity.example/realm';
		const provider = (await providerOf(origin))!;
		expect((await faultOf(goToProvider(provider, `${origin}/x`, '/'))).code).toBe('provider away');
		delete process.env.SIGN_ON_ISSUER;
	});
});
