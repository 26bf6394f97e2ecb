import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { DEMO_PASSWORD } from '../../demo/people.mjs';
import {
	accessJournal,
	bringGrants,
	effectOfChange,
	grantGrid,
	grantMatrix,
	noteUse,
	previewGrants,
	reachGrid,
	readGrantsOfModel,
	takeBackAccess,
	readPeople,
	unusedRights,
	whatOneReaches,
	whyAction,
	whyFigure,
	type GrantState
} from '../../src/lib/server/access';
import { formGrid } from '../../src/lib/server/form';
import { createFromPackage, packModel } from '../../src/lib/server/package';
import { readSession, signIn } from '../../src/lib/server/session';
import { createModel, memberUses, newModelSchema } from '../../src/lib/server/structure';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

/** Grants in every way they are given: by attribute, by table, with their effect shown first; and the reports on them. */
let house: House;
let database: House['database'];
let ids: House['ids'];
let posts: number;
let line: number;

beforeAll(async () => {
	house = await openHouse('grants');
	({ database, ids, posts, line } = house);
}, 60_000);
afterAll(() => house.close());

const person: House['person'] = (...asked) => house.person(...asked);
const put: House['put'] = (...asked) => house.put(...asked);
const member: House['member'] = (...asked) => house.member(...asked);
const levelsOf = async (name: string): Promise<Record<string, string>> =>
	Object.fromEntries(
		(await whatOneReaches(await person('Maren'), posts, { person: ids.get(name)!, dimension: line })).members.map((each) => [
			each.name,
			each.level
		])
	);
const grantOf = async (code: string, level: GrantState['level'] = 'read', who = 'Tove'): Promise<GrantState> => ({
	holder: { person: ids.get(who)! },
	name: code,
	level,
	members: [await member(code)]
});

describe('a grant', () => {
	test('that is sent again after a lost answer is made once', async () => {
		const grant = await grantOf('NOR');
		const first = await put('grant', null, null, grant);
		const again = await put('grant', null, null, grant);
		expect(again).toEqual({ id: first.id, change: null });
		await put('grant', first.id, grant, null);
	});

	test('is shown with what it would do before it is given, to each of a group, and nothing is changed by looking', async () => {
		const maren = await person('Maren');
		const journal = (await accessJournal(maren, posts)).length;
		const change = { kind: 'grant' as const, id: null, before: null, after: await grantOf('NOR', 'write') };
		const effect = await effectOfChange(maren, posts, { change, dimension: line });
		expect(effect).toEqual({
			people: [{ name: 'Tove Brandal', lines: [{ words: 'may write', members: ['Northgate Line'], count: 1 }] }],
			others: 0,
			touched: 1
		});
		// Keeping out of what one has.
		const out = { kind: 'grant' as const, id: null, before: null, after: await grantOf('SKE', 'none') };
		expect((await effectOfChange(maren, posts, { change: out, dimension: line })).people[0]!.lines).toEqual([
			{ words: 'no longer reads', members: ['Skerry Line'], count: 1 }
		]);
		expect((await accessJournal(maren, posts)).length).toBe(journal);
		expect((await readGrantsOfModel(maren, posts)).grants.some(({ state }) => state.name === 'NOR')).toBe(false);
		// As the change itself: what cannot be is said.
		const odd = { ...change, after: { ...change.after, members: [999_999] } };
		expect((await faultOf(effectOfChange(maren, posts, { change: odd, dimension: line }))).status).toBe(422);
		expect((await faultOf(effectOfChange(await person('Osric'), posts, { change, dimension: line }))).status).toBe(403);
	});
});

describe('a grant by attribute', () => {
	let attribute: number;
	beforeAll(async () => {
		attribute = (
			await database.pool.query<{ id: number }>(
				"INSERT INTO attribute (dimension_id, name, type) VALUES ($1, 'Keeper', 'person') RETURNING id",
				[line]
			)
		).rows[0]!.id;
	});
	const name = async (code: string, address: string) =>
		database.pool.query(
			'INSERT INTO attribute_value (attribute_id, member_id, value) VALUES ($1, $2, $3) ON CONFLICT (attribute_id, member_id) DO UPDATE SET value = excluded.value',
			[attribute, await member(code), JSON.stringify(address)]
		);

	test('gives whom the attribute names what it names them at, and follows it', async () => {
		const before = await levelsOf('Tove');
		expect(before['Northgate Line']).toBe('nothing');
		const { id } = await put('attribute grant', null, null, { dimension: line, by: attribute, level: 'write' });
		await name('NOR', 'Tove.Brandal@brinewater.example');
		expect((await levelsOf('Tove'))['Northgate Line']).toBe('write');
		// By every road: a form, the matrix, and why.
		const at = { members: { [line]: await member('NOR') } };
		expect((await formGrid(await person('Tove'), posts, 'crew-posts', at)).name).toContain('of what may be read');
		const { members, holders } = await grantMatrix(await person('Maren'), posts, { dimension: line, find: 'tove' });
		const cell = holders[0]!.cells[members.findIndex((each) => each.name === 'Northgate Line')]!;
		expect(cell).toEqual({ level: 'write', own: null, from: 'attribute, Keeper of Line' });
		const listed = (await readGrantsOfModel(await person('Maren'), posts)).byAttribute;
		expect(listed).toMatchObject([{ words: 'Keeper of Line', people: 1, members: 1, state: { level: 'write' } }]);
		await name('NOR', 'imke.solberg@brinewater.example');
		expect((await levelsOf('Tove'))['Northgate Line']).toBe('nothing');
		// The attribute is not deleted under it, nor given twice.
		expect((await faultOf(put('attribute grant', null, null, { dimension: line, by: attribute, level: 'read' }))).status).toBe(409);
		expect((await faultOf(put('attribute grant', null, null, { dimension: 999_999, by: 'owner', level: 'read' }))).status).toBe(422);
		const { change } = await put('attribute grant', id, { dimension: line, by: attribute, level: 'write' }, null);
		expect((await levelsOf('Tove'))['Northgate Line']).toBe('nothing');
		await takeBackAccess(await person('Maren'), posts, change!);
		await name('NOR', 'tove.brandal@brinewater.example');
		expect((await levelsOf('Tove'))['Northgate Line']).toBe('write');
		const why = await whyFigure(await person('Maren'), posts, { person: ids.get('Tove')!, ...(await figureAt('NOR')) });
		expect(why.read.every(({ holds }) => holds)).toBe(true);
		expect(why.read.map(({ words }) => words).join(' ')).toContain('Keeper of Line');
	});

	/** A figure at a line, at the first members of the other dimensions. */
	async function figureAt(code: string): Promise<{ members: number[]; period: number }> {
		const dimensions = await database.pool.query<{ id: number; kind: string }>(
			"SELECT d.id, d.kind FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id WHERE o.model_id = $1 ORDER BY d.kind = 'period', o.position",
			[posts]
		);
		const at = await Promise.all(
			dimensions.rows.map(async ({ id }) =>
				id === line
					? member(code)
					: (await database.pool.query<{ id: number }>('SELECT min(id) AS id FROM member WHERE dimension_id = $1', [id])).rows[0]!.id
			)
		);
		return { members: at.slice(0, -1), period: at.at(-1)! };
	}
});

describe('grants as a table', () => {
	test('come out and go in again with nothing new', async () => {
		const { grid } = await grantGrid(await person('Maren'), posts);
		expect(grid[0]!.slice(0, 3)).toEqual(['Who', 'May', 'Grant']);
		const looked = await previewGrants(await person('Maren'), posts, { grid, whole: true });
		expect(looked.counts).toMatchObject({ new: 0, changed: 0, 'taken away': 0, fault: 0, same: grid.length - 1 });
	});

	test('are looked at row by row, brought in once, and each can be taken back', async () => {
		const maren = await person('Maren');
		const { grid } = await grantGrid(maren, posts);
		const heading = grid[0]!;
		const place = heading.indexOf('Line');
		const row = (who: string, may: string, called: string, at: string) =>
			heading.map((_, index) => (index < 3 ? [who, may, called][index]! : index === place ? at : ''));
		const asked = [
			heading,
			row('Imke Solberg', 'r', 'Isles too', 'SKE | Northgate Line'),
			row('tove.brandal@brinewater.example', 'keep out', 'Not there', 'NOR')
		];
		const looked = await previewGrants(maren, posts, { grid: asked, whole: false });
		expect(looked).toMatchObject({
			counts: { new: 2, fault: 0 },
			lines: [
				{ row: 2, what: 'new' },
				{ row: 3, what: 'new' }
			]
		});
		expect((await bringGrants(maren, posts, { grid: asked, whole: false })).counts.new).toBe(2);
		expect((await bringGrants(maren, posts, { grid: asked, whole: false })).counts).toMatchObject({ new: 0, same: 2 });
		expect(await levelsOf('Imke')).toMatchObject({ 'Skerry Line': 'read' });
		// The whole table without them takes them away again.
		const whole = await bringGrants(maren, posts, { grid, whole: true });
		expect(whole.counts).toMatchObject({ 'taken away': 2, changed: 0, new: 0 });
		const [last] = await accessJournal(maren, posts);
		await takeBackAccess(maren, posts, last!.id);
		expect((await readGrantsOfModel(maren, posts)).grants.length).toBe(grid.length);
		await bringGrants(maren, posts, { grid, whole: true });
	});

	test('that hold what cannot be are refused whole, each row with its reason', async () => {
		const maren = await person('Maren');
		const heading = ['Who', 'May', 'Grant', 'Line'];
		const looked = await previewGrants(maren, posts, {
			grid: [
				heading,
				['nobody@x.example', 'read', 'a', ''],
				['Imke Solberg', 'sometimes', 'b', ''],
				['Imke Solberg', 'read', 'c', 'NOWHERE'],
				['Imke Solberg', 'read', 'd', 'SKE'],
				['Imke Solberg', 'write', 'D', 'NOR'],
				['', '', '', '']
			],
			whole: false
		});
		expect(looked.lines.map(({ row, what }) => [row, what])).toEqual([
			[2, 'fault'],
			[3, 'fault'],
			[4, 'fault'],
			[5, 'new'],
			[6, 'fault']
		]);
		const refused = await faultOf(
			bringGrants(maren, posts, { grid: [heading, ['Imke Solberg', 'read', 'd', 'SKE'], ['x', 'read', 'e', '']], whole: false })
		);
		expect([refused.status, refused.message.startsWith('Row 3:')]).toEqual([422, true]);
		expect((await readGrantsOfModel(maren, posts)).grants.some(({ state }) => state.name === 'd')).toBe(false);
		expect((await faultOf(previewGrants(maren, posts, { grid: [['Who', 'Line']], whole: false }))).code).toBe('no headings');
		expect((await faultOf(previewGrants(maren, posts, { grid: [[...heading, 'Weather']], whole: false }))).code).toBe('no such column');
		expect((await faultOf(bringGrants(await person('Osric'), posts, { grid: [heading], whole: true }))).status).toBe(403);
	});
});

test('why somebody may do something, or open a form, is told by role, by what they read, and by the form', async () => {
	const why = async (who: string, action: { permission: 'rule.write' | 'form.enter' } | { form: string }) =>
		whyAction(await person('Maren'), posts, { person: ids.get(who)!, action });
	expect(await why('Tove', { permission: 'rule.write' })).toMatchObject({
		what: 'change runbooks',
		lines: [{ words: 'No role lets Tove Brandal change runbooks in this model.', holds: false }]
	});
	expect((await why('Tove', { permission: 'form.enter' })).lines).toEqual([
		{ words: 'Tove Brandal may enter figures, by the role Planner.', holds: true }
	]);
	const { rows } = await database.pool.query<{ id: number }>("SELECT id FROM role WHERE code = 'controller'");
	await database.pool.query("UPDATE form SET roles = ARRAY[$2::integer] WHERE model_id = $1 AND code = 'crew-posts'", [posts, rows[0]!.id]);
	expect((await why('Tove', { form: 'crew-posts' })).lines.at(-1)).toEqual({
		words: 'The form is for some roles, none of which Tove Brandal has.',
		holds: false
	});
	expect((await why('Osric', { form: 'crew-posts' })).lines.every(({ holds }) => holds)).toBe(true);
	await database.pool.query("UPDATE form SET roles = '{}' WHERE model_id = $1 AND code = 'crew-posts'", [posts]);
	expect((await faultOf(why('Tove', { form: 'none' }))).status).toBe(404);
	expect((await faultOf(whyAction(await person('Tove'), posts, { person: 1, action: { permission: 'form.enter' } }))).status).toBe(403);
});

test('where a member is used tells nothing of models one may do nothing in', async () => {
	const code = (await database.pool.query<{ code: string }>('SELECT code FROM dimension WHERE id = $1', [line])).rows[0]!.code;
	const skerry = await member('SKE');
	const uses = async (name: string) => memberUses(await person(name, 1), 1, code, skerry);
	const all = await uses('Maren');
	expect(all.some(({ path }) => path?.startsWith('/m/crew/'))).toBe(true);
	const state = (await readPeople(await person('Maren'))).find(({ id }) => id === ids.get('Vera'))!.state;
	const auditor = (await database.pool.query<{ id: number }>("SELECT id FROM role WHERE code = 'auditor'")).rows[0]!.id;
	const groups = await database.pool.query('DELETE FROM people_group_member WHERE person_id = $1 RETURNING group_id', [ids.get('Vera')]);
	await put('person', ids.get('Vera')!, state, { ...state, roles: [{ role: auditor, model: 1 }] });
	const told = await uses('Vera');
	expect(told.some(({ path, name }) => path?.startsWith('/m/crew/') || name === 'New posts')).toBe(false);
	expect(told.at(-1)).toEqual({ kind: 'elsewhere', name: 'Models that are not yours to see' });
	expect(told.every((use) => !('model' in use))).toBe(true);
	await put('person', ids.get('Vera')!, { ...state, roles: [{ role: auditor, model: 1 }] }, state);
	for (const { group_id } of groups.rows as { group_id: number }[])
		await database.pool.query('INSERT INTO people_group_member (group_id, person_id) VALUES ($1, $2)', [group_id, ids.get('Vera')]);
});

describe('reports', () => {
	test('everybody against the members of a dimension says what each form says', async () => {
		const { grid } = await reachGrid(await person('Maren'), posts, line);
		const place = grid[0]!.indexOf('Skerry Line');
		const of = (name: string) => grid.find(([who]) => who === name)![place];
		expect([of('Maren Kvist'), of('Tove Brandal'), of('Vera Lindmoor')]).toEqual(['w', 'w', expect.stringMatching(/^r?$/)]);
		expect((await faultOf(reachGrid(await person('Tove'), posts, line))).status).toBe(403);
		expect((await faultOf(reachGrid(await person('Maren'), posts, 999_999))).status).toBe(404);
	});

	test('rights are unused until they are used', async () => {
		const maren = await person('Maren');
		const unused = async () =>
			(await unusedRights(maren, posts)).filter((each) => each.person === 'Tove Brandal').map(({ right }) => right);
		expect(await unused()).toContain('enter figures');
		noteUse(await person('Tove'), 'form.enter', posts);
		await expect.poll(unused).not.toContain('enter figures');
		await database.pool.query("UPDATE permission_used SET at = now() - interval '91 days'");
		expect(await unused()).toContain('enter figures');
		// Who takes another one's place uses nothing in their name.
		noteUse({ ...(await person('Piet')), acting: { id: 1, name: 'x', way: 'look' } }, 'form.read', posts);
		expect((await database.pool.query('SELECT FROM permission_used WHERE person_id = $1', [ids.get('Piet')])).rowCount).toBe(0);
	});
});

test('a model nobody was granted anything in is closed but for its maker and who gives access, and stays guarded in a copy', async () => {
	const known = async (name: string) => {
		const email = (await database.pool.query<{ email: string }>('SELECT email FROM person WHERE id = $1', [ids.get(name)])).rows[0]!.email;
		return (await readSession(await signIn(email, DEMO_PASSWORD, name)))!;
	};
	const structure = await database.pool.query(
		"INSERT INTO role_permission SELECT id, 'structure.write' FROM role WHERE code = 'controller' RETURNING role_id"
	);
	expect(structure.rowCount).toBe(1);
	const made = await createModel(
		await person('Osric', 1),
		newModelSchema.parse({
			name: 'Quiet plan',
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
		})
	).catch((failure: Error) => failure);
	expect(made).not.toBeInstanceOf(Error);
	const { id } = (await database.pool.query<{ id: number }>("SELECT id FROM model WHERE name = 'Quiet plan'")).rows[0]!;
	const may = async (name: string) => (await known(name)).mayEnter(id);
	expect([await may('Osric'), await may('Maren'), await may('Tove'), await may('Vera')]).toEqual([true, true, false, false]);
	await put('grant', null, null, { holder: { person: ids.get('Vera')! }, name: 'All', level: 'read', members: [] }, 'Maren', id);
	expect([await may('Vera'), await may('Tove')]).toEqual([true, true]);

	const packed = await packModel(database.pool, posts);
	expect(packed.model.guarded).toHaveLength(1);
	const copy = await createFromPackage(await person('Maren'), packed, undefined, 'Posts again');
	const guarded = await database.pool.query('SELECT FROM guarded_dimension WHERE model_id = $1', [copy.id]);
	expect([guarded.rowCount, (await known('Tove')).mayEnter(copy.id)]).toEqual([1, false]);
});
