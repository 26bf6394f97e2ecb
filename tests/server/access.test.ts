import { readMessages } from '../../src/lib/server/cycle';
import { afterAll, beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import {
	accessJournal,
	grantMatrix,
	invitePerson,
	readGrantsOfModel,
	readGroups,
	readOutbox,
	readPeople,
	readRoles,
	takeBackAccess,
	whoMay,
	whoMayGrid,
	whyFigure,
	type GrantState,
	type PersonState
} from '../../src/lib/server/access';
import { closePool } from '../../src/lib/server/database';
import { listModels } from '../../src/lib/server/database/definitions';
import { readDesk } from '../../src/lib/server/desk';
import { writeNote, formGrid, inspectFigure, openForm, readBeside } from '../../src/lib/server/form';
import { editImport, listImports, startFetch } from '../../src/lib/server/import';
import { traceFigure } from '../../src/lib/server/runbook';
import { changePassword, readSession, setPasswordByLink, signIn } from '../../src/lib/server/session';
import { makeAdministrator } from '../../src/lib/server/setup/administrator';
import { createModel, findMembers, newModelSchema } from '../../src/lib/server/structure';
import { freshDatabase } from './demo-database';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

/** Who may do what: given, changed, taken back, and what is read by it. The posts of the demo are guarded by line. */
let house: House;
let database: House['database'];
let ids: House['ids'];
let posts: number;
let line: number;

beforeAll(async () => {
	house = await openHouse('access');
	({ database, ids, posts, line } = house);
}, 60_000);
afterAll(() => house.close());
beforeEach(() => database.pool.query('DELETE FROM sign_in_attempt'));

const person: House['person'] = (...asked) => house.person(...asked);
const put: House['put'] = (...asked) => house.put(...asked);
const stateOf = async (name: string): Promise<PersonState> =>
	(await readPeople(await person('Maren'))).find(({ id }) => id === ids.get(name))!.state;
const roleId = async (name: string) => (await readRoles(await person('Maren'))).find(({ state }) => state.name === name)!.id;
const member: House['member'] = (...asked) => house.member(...asked);
/** The token of the last letter to somebody. */
async function linkTo(address: string): Promise<string> {
	const [letter] = (await readOutbox(await person('Maren'))).filter((each) => each.address === address);
	return /\/password\/(\S+)/.exec(letter!.body)![1]!;
}
const FINE = 'pebble orchard nineteen';

describe('people', () => {
	test('are invited, set a password once, work in the model they were given, and are gone when they are deactivated', async () => {
		const planner = await roleId('Planner');
		const state: PersonState = {
			email: 'ada.holm@brinewater.example',
			name: 'Ada Holm',
			title: '',
			active: true,
			roles: [{ role: planner, model: posts }]
		};
		const { id } = await put('person', null, null, state);
		ids.set('Ada', id);
		expect((await faultOf(signIn(state.email, FINE, 'a'))).status).toBe(401);
		await invitePerson(await person('Maren'), id, 'http://here');
		const token = await linkTo(state.email);
		expect((await faultOf(setPasswordByLink(token, 'short'))).message).toContain('at least 12');
		expect((await faultOf(setPasswordByLink(token, 'brinewater Holm 2026'))).message).toContain('guessed early');
		expect((await faultOf(setPasswordByLink(token, 'password1234'))).status).toBe(422);
		const tries = await Promise.allSettled([setPasswordByLink(token, FINE), setPasswordByLink(token, FINE)]);
		expect(tries.map(({ status }) => status).sort()).toEqual(['fulfilled', 'rejected']);
		expect((await faultOf(setPasswordByLink(token, FINE))).status).toBe(404);

		const session = await signIn(state.email, FINE, 'a');
		const known = (await readSession(session))!;
		// Of the other models she learns nothing.
		expect((await listModels(database.pool)).filter((model) => known.mayEnter(model.id)).map((model) => model.id)).toEqual([posts]);
		expect([known.in(posts).permissions.includes('form.enter'), known.in(1).permissions]).toEqual([true, []]);
		expect((await faultOf(changePassword(known.in(posts), session, { present: 'wrong', next: FINE, address: 'a' }))).status).toBe(422);
		const elsewhere = await signIn(state.email, FINE, 'a');
		await changePassword(known.in(posts), session, { present: FINE, next: 'lantern gravel ninety', address: 'a' });
		expect([await readSession(elsewhere), (await readSession(session))!.in(posts).name]).toEqual([undefined, 'Ada Holm']);

		await put('person', id, state, { ...state, active: false });
		expect(await readSession(session)).toBeUndefined();
		expect((await faultOf(signIn(state.email, 'lantern gravel ninety', 'a'))).status).toBe(401);
	}, 60_000);

	test('an address is one person’s; what another has changed meanwhile is not written over; a change is taken back', async () => {
		const tove = await stateOf('Tove');
		expect((await faultOf(put('person', null, null, { ...tove }))).message).toContain('already');
		await put('person', ids.get('Tove')!, tove, { ...tove, title: 'Planner, islands' });
		expect((await faultOf(put('person', ids.get('Tove')!, tove, { ...tove, name: 'T' }))).status).toBe(409);
		const [change] = await accessJournal(await person('Maren'), posts);
		expect(change).toMatchObject({ kind: 'person', name: 'Tove Brandal', latest: true });
		await takeBackAccess(await person('Maren'), posts, change!.id);
		expect(await stateOf('Tove')).toEqual(tove);
		// Put once more as it is, nothing has happened.
		expect((await put('person', ids.get('Tove')!, tove, tove)).change).toBeNull();
		expect((await faultOf(takeBackAccess(await person('Maren'), posts, change!.id))).status).toBe(409);
		expect((await faultOf(put('person', ids.get('Tove')!, tove, { ...tove, email: 'no address' }))).status).toBe(400);
		expect((await faultOf(put('person', 999_999, tove, tove))).status).toBe(404);
		expect((await faultOf(put('person', 999_999, null, { ...tove, email: 'other@x.example' }))).status).toBe(404);
	});

	test('the last who gives access in every model cannot go, nor lose it through a role or a group', async () => {
		const maren = await stateOf('Maren');
		expect((await faultOf(put('person', ids.get('Maren')!, maren, { ...maren, active: false }))).code).toBe('last administrator');
		expect((await faultOf(put('person', ids.get('Maren')!, maren, { ...maren, roles: [{ ...maren.roles[0]!, model: posts }] }))).code).toBe(
			'last administrator'
		);
		const role = (await readRoles(await person('Maren'))).find(({ state }) => state.name === 'Administrator')!;
		const less = { ...role.state, permissions: role.state.permissions.filter((permission) => permission !== 'access.write') };
		expect((await faultOf(put('role', role.id, role.state, less))).code).toBe('last administrator');
		expect(await stateOf('Maren')).toEqual(maren);
	});

	test('who gives access in one model gives grants there, and nothing of people, groups and roles', async () => {
		const local = await put('role', null, null, {
			name: 'Local access',
			description: '',
			permissions: ['access.read', 'access.write', 'form.read']
		});
		const imke = await stateOf('Imke');
		await put('person', ids.get('Imke')!, imke, { ...imke, roles: [...imke.roles, { role: local.id, model: posts }] });
		const grant: GrantState = { holder: { person: ids.get('Piet')! }, name: 'Amber', level: 'read', members: [await member('AMB')] };
		const { id } = await put('grant', null, null, grant, 'Imke');
		expect((await faultOf(put('grant', null, null, grant, 'Imke', 1))).status).toBe(403);
		for (const [kind, state] of [
			['person', imke],
			['group', { name: 'Mine', description: '', members: [], roles: [] }],
			['role', { name: 'Mine', description: '', permissions: [] }]
		] as const)
			expect((await faultOf(put(kind, null, null, state, 'Imke'))).status).toBe(403);
		expect((await faultOf(readOutbox(await person('Imke')))).status).toBe(403);
		expect((await faultOf(invitePerson(await person('Imke'), ids.get('Maren')!, 'x'))).status).toBe(403);
		await put('grant', id, grant, null);
		await put('person', ids.get('Imke')!, await stateOf('Imke'), imke);
	});
});

describe('groups and roles', () => {
	test('a group gives its people roles and grants, and both end with it', async () => {
		const auditor = await roleId('Auditor');
		const state = { name: 'Deck planning', description: '', members: [ids.get('Piet')!], roles: [{ role: auditor, model: posts }] };
		const { id } = await put('group', null, null, state);
		expect((await person('Piet')).permissions).not.toContain('structure.read');
		const grant: GrantState = { holder: { group: id }, name: 'All', level: 'read', members: [] };
		const given = await put('grant', null, null, grant);
		// He reads all of it now, so that what shows all of it is open to him too.
		const piet = await person('Piet');
		expect([piet.readsPart, piet.permissions.includes('structure.read')]).toEqual([false, true]);
		expect((await person('Piet', 1)).permissions).not.toContain('structure.read');
		expect((await faultOf(put('group', id, state, null))).message).toContain('grants in New posts');
		await put('grant', given.id, grant, null);
		await put('group', id, state, null);
		expect((await readGroups(await person('Maren'))).map((group) => group.state.name)).toEqual(['Auditors', 'Reviewers']);
		expect((await person('Piet')).permissions).not.toContain('structure.read');
	});

	test('a role in use is not deleted; names are told apart; permissions are those there are', async () => {
		const planner = (await readRoles(await person('Maren'))).find(({ state }) => state.name === 'Planner')!;
		expect((await faultOf(put('role', planner.id, planner.state, null))).message).toContain('given to');
		expect((await faultOf(put('role', null, null, { ...planner.state }))).status).toBe(409);
		expect((await faultOf(put('role', null, null, { name: 'Odd', description: '', permissions: ['everything'] }))).status).toBe(400);
		expect((await faultOf(put('guarded', posts, { dimensions: [line] }, { dimensions: [999_999] }))).status).toBe(422);
		expect((await faultOf(put('guarded', 1, { dimensions: [] }, { dimensions: [line] }))).status).toBe(404);
		expect((await faultOf(put('grant', null, null, { holder: { person: 1 }, name: 'x', level: 'read', members: [999_999] }))).status).toBe(
			422
		);
	});
});

describe('reading is guarded', () => {
	const choices = { members: {}, currency: 'EUR' };
	/** What a form shows of each row, over all its columns. */
	async function rowsOf(name: string): Promise<Map<string, (number | null)[]>> {
		const { form } = await openForm(await person(name), posts, 'crew-posts', choices);
		return new Map(
			form.rows.map((row, at) => [
				[...row.above, row.label].join(' '),
				form.values.slice(at * form.columns.length, (at + 1) * form.columns.length)
			])
		);
	}

	test('forms show the members and figures one may read, and totals of these alone, and say so', async () => {
		const [all, tove] = [
			await openForm(await person('Maren'), posts, 'crew-posts', choices),
			await openForm(await person('Tove'), posts, 'crew-posts', choices)
		];
		expect([all.form.restricted, tove.form.restricted]).toEqual([false, true]);
		const lines = (form: typeof all.form) => form.selectors.find(({ dimension }) => dimension === line)?.choices.map(({ name }) => name);
		const skerry = await member('SKE');
		if (lines(all.form))
			expect(lines(tove.form)).toEqual(lines(all.form)!.filter((name) => ['Brinewater group', 'Skerry Line'].includes(name)));
		// The group as she sees it is her line.
		const own = await openForm(await person('Maren'), posts, 'crew-posts', { members: { [line]: skerry }, currency: 'EUR' });
		const group = await openForm(await person('Tove'), posts, 'crew-posts', {
			members: { [line]: await member('GROUP') },
			currency: 'EUR'
		});
		expect(group.form.values.map((value) => (value === null ? null : Math.round(value * 100)))).toEqual(
			own.form.values.map((value) => (value === null ? null : Math.round(value * 100)))
		);
		expect((await formGrid(await person('Tove'), posts, 'crew-posts', choices)).name).toContain('of what may be read');
	});

	test('who was granted nothing sees nothing, and no road leads around it', async () => {
		const piet = await person('Piet');
		expect(piet.readsPart).toBe(true);
		expect((await faultOf(openForm(piet, posts, 'crew-posts', choices))).message).not.toMatch(/\d{3}/);
		expect(await findMembers(piet, posts, { dimension: line, text: '', of: 'all' })).toEqual([]);
		expect((await readDesk(piet, posts)).changes).toEqual([]);
	});

	test('beside hidden figures stands nothing; what shows all of the model is closed to who reads a part', async () => {
		const dimensions = await database.pool.query<{ id: number; kind: string; first: number }>(
			`SELECT d.id, d.kind, (SELECT min(m.id) FROM member m WHERE m.dimension_id = d.id AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)) AS first
			FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 ORDER BY d.kind = 'period', o.position`,
			[posts]
		);
		const place = async (code: string) => Promise.all(dimensions.rows.map(async ({ id, first }) => (id === line ? member(code) : first)));
		const [hers, other, group] = [await place('SKE'), await place('NOR'), await place('GROUP')];
		const tove = await person('Tove');
		await writeNote(await person('Maren'), posts, 'crew-posts', {
			place: other,
			text: 'For @Tove Brandal: what Northgate pays',
			thread: undefined
		});
		expect((await faultOf(readBeside(tove, posts, other))).status).toBe(403);
		expect((await faultOf(writeNote(tove, posts, 'crew-posts', { place: other, text: 'mine', thread: undefined }))).status).toBe(403);
		expect((await readBeside(tove, posts, hers)).threads).toEqual([]);
		expect((await readBeside(tove, posts, group)).threads).toEqual([]);
		expect((await readDesk(tove, posts)).mentions).toEqual([]);
		expect(await readMessages(tove, posts)).toEqual([]);
		expect((await faultOf(traceFigure(tove, posts, { members: hers.slice(0, -1), period: hers.at(-1)! }))).status).toBe(403);
		expect((await faultOf(listImports(tove, posts))).status).toBe(403);
		expect((await findMembers(tove, posts, { dimension: line, text: '', of: 'all' })).map(({ code }) => code).sort()).toEqual([
			'GROUP',
			'SKE'
		]);
		// Details of a total that is only partly hers tell no history of what is beneath.
		const { form } = await openForm(tove, posts, 'crew-posts', choices);
		const at = form.values.findIndex((value) => value !== null);
		const details = await inspectFigure(tove, posts, 'crew-posts', choices, Math.floor(at / form.columns.length), at % form.columns.length);
		expect(JSON.stringify(details)).not.toContain('Northgate');
	});

	test('a grant that is changed counts at once, for forms that stand open too', async () => {
		const before = await rowsOf('Tove');
		const grant: GrantState = { holder: { person: ids.get('Tove')! }, name: 'All', level: 'read', members: [] };
		const { id } = await put('grant', null, null, grant);
		const whole = await rowsOf('Tove');
		expect([...whole]).toEqual([...(await rowsOf('Maren'))]);
		expect((await person('Tove')).readsPart).toBe(false);
		const out: GrantState = { holder: { person: ids.get('Tove')! }, name: 'Not Northgate', level: 'none', members: [await member('NOR')] };
		const kept = await put('grant', null, null, out);
		expect((await accessJournal(await person('Maren'), posts))[0]).toMatchObject({
			kind: 'grant',
			named: { [out.members[0]!]: 'Northgate Line' }
		});
		const rows = await rowsOf('Tove');
		expect([...rows.keys()].some((row) => row.includes('Northgate'))).toBe(false);
		await put('grant', kept.id, out, null);
		await put('grant', id, grant, null);
		expect([...(await rowsOf('Tove'))]).toEqual([...before]);
	});

	test('the matrix tells what is given where, and why tells it in words', async () => {
		const { members, holders } = await grantMatrix(await person('Maren'), posts, { find: '', dimension: line });
		const cell = (name: string, at: string) =>
			holders.find((each) => each.name === name)!.cells[members.findIndex((each) => each.name === at)]!;
		expect(cell('Tove Brandal', 'Skerry Line')).toMatchObject({ level: 'write', from: '' });
		expect(cell('Tove Brandal', 'Northgate Line')).toEqual({ level: null, own: null, from: '' });
		expect(cell('Runa Eskild', 'Northgate Line')).toMatchObject({ level: 'read', own: null, from: '“All lines” of the group Reviewers' });
		expect(cell('Maren Kvist', 'Skerry Line')).toMatchObject({ level: 'write', own: null, from: '“Whole group”' });
		const found = await database.pool.query<{ id: number; first: number }>(
			`SELECT d.id, (SELECT min(m.id) FROM member m WHERE m.dimension_id = d.id) AS first FROM dimension d
			JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 ORDER BY d.kind = 'period', o.position`,
			[posts]
		);
		const asked = async (code: string) => Promise.all(found.rows.map(async ({ id, first }) => (id === line ? member(code) : first)));
		const why = async (name: string, code: string) => {
			const all = await asked(code);
			return whyFigure(await person('Maren'), posts, { person: ids.get(name)!, members: all.slice(0, -1), period: all.at(-1)! });
		};
		expect((await why('Tove', 'NOR')).read.map(({ holds }) => holds)).toEqual([true, false]);
		expect((await why('Tove', 'SKE')).read.every(({ holds }) => holds)).toBe(true);
		expect((await why('Runa', 'SKE')).read[0]!.words).toContain('by the role Reviewer');
		expect((await why('Runa', 'SKE')).write[0]).toMatchObject({ holds: false });
		expect((await faultOf(whyFigure(await person('Tove'), posts, { person: 1, members: [1, 2], period: 1 }))).status).toBe(403);
		// The report over everybody says of each what is said of them alone.
		const skerry = await asked('SKE');
		const figure = { members: skerry.slice(0, -1), period: skerry.at(-1)! };
		const all = await whoMay(await person('Maren'), posts, figure);
		expect(all.filter(({ read }) => read).map(({ name }) => name)).toEqual([
			'Caspar Dene',
			'Maren Kvist',
			'Osric Hale',
			'Runa Eskild',
			'Tove Brandal',
			'Vera Lindmoor'
		]);
		for (const each of all) {
			const alone = await whyFigure(await person('Maren'), posts, { person: each.id, ...figure });
			expect([each.name, each.read, each.write]).toEqual([
				each.name,
				alone.read.every(({ holds }) => holds),
				alone.write.every(({ holds }) => holds)
			]);
		}
		const { grid } = await whoMayGrid(await person('Maren'), posts, figure);
		expect(grid.find(([name]) => name === 'Piet Harrow')!.slice(2, 4)).toEqual(['no', 'no']);
		expect((await faultOf(whoMay(await person('Maren'), posts, { members: [1, 2], period: 1 }))).status).toBe(422);
		expect((await faultOf(whoMay(await person('Tove'), posts, figure))).status).toBe(403);
	});

	test('grants of the demo are told with where they hold', async () => {
		const { grants, dimensions } = await readGrantsOfModel(await person('Osric'), posts);
		expect(dimensions.filter(({ guarded }) => guarded).map(({ id }) => id)).toEqual([line]);
		expect(grants.find(({ holder }) => holder === 'Tove Brandal')!.slice).toEqual([{ dimension: 'Line', members: ['Skerry Line'] }]);
		expect((await faultOf(readGrantsOfModel(await person('Tove'), posts))).status).toBe(403);
	});
});

test('into an installation without anybody somebody is let in from outside, and finds a model to begin with', async () => {
	await closePool();
	const empty = await freshDatabase('access_empty', { demo: false });
	process.env.DATABASE_URL = empty.url;
	try {
		const letter = await makeAdministrator({ email: 'First@brinewater.example', name: 'First One', origin: 'http://here' });
		await setPasswordByLink(/\/password\/(\S+)/.exec(letter)![1]!, FINE);
		const known = (await readSession(await signIn('first@brinewater.example', FINE, 'a')))!;
		const [model] = await listModels(empty.pool);
		const first = known.in(model!.id);
		expect([first.name, first.everywhere!.includes('access.write'), first.readsPart]).toEqual(['First One', true, false]);
		expect((await readRoles(first)).map(({ state }) => state.name)).toEqual([
			'Administrator',
			'Controller',
			'Planner',
			'Reviewer',
			'Auditor'
		]);
		// Asked once more it is a link for a new password, and nothing twice.
		await makeAdministrator({ email: 'first@brinewater.example', name: '', origin: 'http://here' });
		expect([(await readPeople(first)).length, (await listModels(empty.pool)).length]).toEqual([1, 1]);
		expect((await faultOf(makeAdministrator({ email: 'nobody', name: '', origin: '' }))).status).toBe(422);
	} finally {
		await closePool();
		await empty.close();
		process.env.DATABASE_URL = database.url;
	}
});

test('who makes a model by a role in another one works in it, and in no other', async () => {
	const administrator = await roleId('Administrator');
	const lidia = await stateOf('Lidia');
	await put('person', ids.get('Lidia')!, lidia, { ...lidia, roles: [{ role: administrator, model: posts }] });
	const wanted = newModelSchema.parse({
		name: 'Lidia’s own',
		reportingCurrency: 'EUR',
		currencies: [],
		calendar: {
			grain: 'month',
			pattern: 'calendar months',
			fiscalStartMonth: 1,
			namedBy: 'first year',
			firstYear: 2028,
			years: 1,
			levels: []
		},
		scenarios: [{ name: 'Plan', firstYear: 2028, lastYear: 2028, takesEntries: true }],
		shared: [],
		fresh: []
	});
	// Of posts she reads a part only, so that its structure is closed to her: a grant for all of it opens it.
	expect((await faultOf(createModel(await person('Lidia'), wanted))).status).toBe(403);
	const grant: GrantState = { holder: { person: ids.get('Lidia')! }, name: 'All', level: 'read', members: [] };
	const { id } = await put('grant', null, null, grant);
	const made = await createModel(await person('Lidia'), wanted);
	expect((await person('Lidia', made.id)).permissions).toContain('structure.write');
	expect((await person('Lidia', 1)).permissions).toEqual([]);
	await put('grant', id, grant, null);
	await put('person', ids.get('Lidia')!, await stateOf('Lidia'), lidia);
});

test('rows of another model are fetched by who may read it there, and by nobody else', async () => {
	const controller = await roleId('Controller');
	const lidia = await stateOf('Lidia');
	await put('person', ids.get('Lidia')!, lidia, { ...lidia, roles: [{ role: controller, model: 1 }] });
	const place = { kind: 'model' as const, model: posts, slice: {} };
	const refused = await faultOf(editImport(await person('Lidia', 1), 1, 'ledger-service', { act: 'place', place }));
	expect([refused.status, refused.message]).toEqual([422, expect.stringContaining('not yours to read')]);
	const found = await database.pool.query<{ code: string }>(
		"SELECT code FROM import WHERE model_id = 1 AND source #>> '{place,kind}' = 'model'"
	);
	expect(found.rows.length).toBeGreaterThan(0);
	expect((await faultOf(startFetch(await person('Lidia', 1), 1, found.rows[0]!.code))).status).toBe(422);
	// Who reads a part of it only is no better off.
	await put('person', ids.get('Lidia')!, await stateOf('Lidia'), { ...lidia, roles: [{ role: controller, model: null }] });
	expect((await person('Lidia')).readsPart).toBe(true);
	expect((await faultOf(startFetch(await person('Lidia', 1), 1, found.rows[0]!.code))).status).toBe(422);
	await put('person', ids.get('Lidia')!, await stateOf('Lidia'), lidia);
});

test('a wrong password of somebody who was only invited is no other than any', async () => {
	const state: PersonState = { email: 'new.one@brinewater.example', name: 'New One', title: '', active: true, roles: [] };
	const { id } = await put('person', null, null, state);
	expect((await faultOf(signIn(state.email, DEMO_PASSWORD, 'x'))).message).toBe(
		(await faultOf(signIn('nobody@x.example', 'y', 'x'))).message
	);
	// Whoever never came is taken off the list again.
	await put('person', id, state, null);
	expect((await readPeople(await person('Maren'))).some((each) => each.id === id)).toBe(false);
});
