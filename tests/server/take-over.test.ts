import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import type { Fault } from '../../src/lib/server/fault';
import { openForm } from '../../src/lib/server/form';
import {
	comparePackages,
	createFromPackage,
	exportPackage,
	packModel,
	previewTakeOver,
	readPackage,
	takeOver,
	type TakenOver
} from '../../src/lib/server/package';
import { boardFigures, listBoards, readBoard, readPicture } from '../../src/lib/server/insight';
import type { SignedIn } from '../../src/lib/server/session';
import { dimensionHistory, memberTable, undoStructure } from '../../src/lib/server/structure';
import { packageSchema, type ModelPackage } from '../../src/lib/server/definition/package-format';
import { expectJournalHolds, followModel, freshDatabase, peopleOf } from './demo-database';
import { faultOf } from './fault-of';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
let expectFollowed: () => Promise<void>;
let original: ModelPackage;
const admin = () => people.get('Maren')!;

beforeAll(async () => {
	database = await freshDatabase('take_over', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
	people = await peopleOf(database.pool);
	original = (await readPackage((await exportPackage(admin(), 1, false)).zip)).packed;
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

/** The model's package with something else in it. */
const changed = (change: (packed: ModelPackage) => void): ModelPackage => {
	const packed = structuredClone(original);
	change(packed);
	return packageSchema.parse(packed);
};
const dimensionIn = (packed: ModelPackage, key: string) => packed.dimensions.find((dimension) => dimension.key === key)!;
const memberIn = (packed: ModelPackage, key: string, code: string) =>
	dimensionIn(packed, key).members.find((member) => member.code === code)!;
const differences = async (packed: ModelPackage, modelId = 1) => comparePackages(await packModel(database.pool, modelId), packed);
const able = async (packed: ModelPackage) => (await differences(packed)).filter(({ stays }) => stays === undefined).map(({ id }) => id);
const refusals = async (work: Promise<TakenOver>) => (await work).refused.map(({ message }) => message);
const counts = async () =>
	(
		await database.pool.query<{ revision: number; structure: number; changes: number }>(
			`SELECT revision, structure_version AS structure, (SELECT count(*)::integer FROM structure_change) AS changes FROM model WHERE id = 1`
		)
	).rows[0]!;

describe('differences of a package', () => {
	test('taken over all together make the model the package’s', async () => {
		// Of those that no form has a button for.
		const spare = original.runbooks.findLast(({ name }) => !original.forms.some(({ runbooks }) => runbooks.includes(name)))!;
		const packed = changed((other) => {
			const route = dimensionIn(other, 'route');
			route.attributes.push({ name: 'Season', type: 'choice', choices: ['summer', 'all year'] });
			route.hierarchies.push('By pier');
			memberIn(other, 'route', 'R04').name = 'Other name';
			memberIn(other, 'route', 'R04').facts = { ...memberIn(other, 'route', 'R04').facts, 'attribute Season': 'summer' };
			const at = route.members.findIndex(({ code }) => code === 'R04');
			route.members.splice(at + 1, 0, {
				code: 'R95',
				name: 'New crossing',
				parent: memberIn(other, 'route', 'R04').parent,
				weight: 1,
				places: { 'By pier': { parent: null, weight: 1, order: 0 } }
			});
			other.model.currencies.push('CAD');
			other.variables.push({ name: 'new crossing', member: { dimension: 'route', member: 'R95' }, number: null });
			other.rates[0]!.rates[0]!.value *= 2;
			other.locks.push({ name: 'No more', layer: 'board', state: 'closed', members: [{ dimension: 'route', member: 'R95' }] });
			other.forms[0]!.name = 'A form by another name';
			other.runbooks[0]!.description = 'Another description';
			other.imports[0]!.description = 'Another description';
			const formula = other.formulas[0]!;
			formula.text = `${formula.text!} * 1`;
			other.runbooks = other.runbooks.filter(({ name }) => name !== spare.name);
		});
		const wanted = await differences(packed);
		expect(wanted.map(({ what, name, kind }) => `${what} ${name} ${kind}`)).toEqual(
			expect.arrayContaining([
				'currency CAD added',
				'attribute Season added',
				'hierarchy By pier added',
				'member R04 changed',
				'member R95 added',
				`rate set ${original.rates[0]!.name} changed`,
				'variable new crossing added',
				`formulas of ${original.formulas[0]!.account} changed`,
				'lock No more added',
				`import ${original.imports[0]!.code} changed`,
				`runbook ${original.runbooks[0]!.name} changed`,
				`runbook ${spare.name} missing`,
				`form ${original.forms[0]!.code} changed`
			])
		);
		const chosen = wanted.map(({ id }) => id);
		const before = await counts();
		// To look changes nothing.
		expect(await previewTakeOver(admin(), 1, packed, { chosen, handOver: {} })).toEqual({ taken: wanted.length, refused: [], leftOut: [] });
		expect(await counts()).toEqual(before);
		expect(await differences(packed)).toEqual(wanted);
		await takeOver(admin(), 1, packed, { chosen, handOver: {} });
		expect(await differences(packed)).toEqual([]);
		const table = await memberTable(admin(), 1, 'route');
		expect(table.codes[table.codes.indexOf('R04') + 1]).toBe('R95');
		// The form is the next version of the same one, and reads.
		const form = original.forms[0]!.code;
		expect(
			(await database.pool.query('SELECT FROM form_version v JOIN form f ON f.id = v.form_id WHERE f.code = $1', [form])).rowCount
		).toBeGreaterThan(0);
		expect((await openForm(admin(), 1, form, { members: {}, currency: 'EUR' })).name).toBe('A form by another name');
		// In the history of the dimension, and among the last changes of definitions.
		expect((await dimensionHistory(admin(), 1, 'route'))[0]!.words).toBe(
			`Took 2 members of “Route” from the package “${original.model.name}”`
		);
	}, 60_000);

	test('members can be taken back as they came', async () => {
		await undoStructure(admin(), 1, 'route').catch((error: unknown) => {
			// A variable and a lock name the new one.
			expect((error as Fault).code).toBe('still used');
		});
		const packed = changed((other) => {
			memberIn(other, 'route', 'R05').name = 'For a moment';
		});
		const [id] = (await differences(packed)).filter(({ name }) => name === 'R05').map((each) => each.id);
		await takeOver(admin(), 1, packed, { chosen: [id!], handOver: {} });
		expect((await memberTable(admin(), 1, 'route')).names).toContain('For a moment');
		await undoStructure(admin(), 1, 'route');
		expect((await memberTable(admin(), 1, 'route')).names).not.toContain('For a moment');
	});

	test('one that needs another is refused with a sentence until that is chosen too; nothing half comes', async () => {
		const packed = changed((other) => {
			const route = dimensionIn(other, 'route');
			route.members.push(
				{ code: 'GROUP', name: 'Group', parent: null, weight: 1 },
				{ code: 'INSIDE', name: 'Inside', parent: 'GROUP', weight: 1 }
			);
			other.variables.push({ name: 'inside', member: { dimension: 'route', member: 'INSIDE' }, number: null });
		});
		const ids = new Map((await differences(packed)).map(({ id, name }) => [name, id]));
		const before = await counts();
		const some = { chosen: [ids.get('INSIDE')!, ids.get('inside')!], handOver: {} };
		expect(await refusals(previewTakeOver(admin(), 1, packed, some))).toEqual([
			'It stands under GROUP, which is not here: take that over too.',
			'It names the member INSIDE of route, which is not there.'
		]);
		const fault = await faultOf(takeOver(admin(), 1, packed, some));
		expect(fault.message).toContain('Nothing was changed.');
		expect((fault.details as TakenOver).refused).toHaveLength(2);
		expect(await counts()).toEqual(before);
		expect(await refusals(previewTakeOver(admin(), 1, packed, { ...some, chosen: [...some.chosen, ids.get('GROUP')!] }))).toEqual([]);
	});

	test('a leaf with numbers that gets children asks who takes them', async () => {
		const sum = async (code: string) =>
			(await database.pool.query<{ sum: number | null }>('SELECT sum(amount) FROM report_cells_1 WHERE route = $1', [code])).rows[0]!.sum;
		const had = (await sum('R04'))!;
		expect(had).not.toBeNull();
		const packed = changed((other) => {
			const route = dimensionIn(other, 'route');
			const at = route.members.findIndex(({ code }) => code === 'R04');
			route.members.splice(
				at + 1,
				0,
				{ code: 'R04A', name: 'By day', parent: 'R04', weight: 1 },
				{ code: 'R04B', name: 'By night', parent: 'R04', weight: 1 }
			);
		});
		const chosen = (await differences(packed)).filter(({ name }) => name.startsWith('R04') && name !== 'R04').map(({ id }) => id);
		const asked = await previewTakeOver(admin(), 1, packed, { chosen, handOver: {} });
		expect(asked.refused).toEqual([
			expect.objectContaining({
				numbersBelow: {
					dimension: 'route',
					parent: { code: 'R04', name: 'Other name' },
					numbers: expect.any(Number),
					children: [
						{ code: 'R04A', name: 'By day' },
						{ code: 'R04B', name: 'By night' }
					]
				}
			})
		]);
		const handOver = { route: { R04: 'R04B' } };
		expect(await refusals(previewTakeOver(admin(), 1, packed, { chosen, handOver }))).toEqual([]);
		expect(await sum('R04')).toBe(had);
		await takeOver(admin(), 1, packed, { chosen, handOver });
		expect(await sum('R04')).toBeNull();
		expect(await sum('R04B')).toBeCloseTo(had, 4);
	});

	test.each<[string, (packed: ModelPackage) => void, string]>([
		['another reporting currency', ({ model }) => (model.reportingCurrency = 'SEK'), 'settled when a model is made'],
		[
			'a dimension that is not here',
			({ dimensions }) => dimensions.push({ ...dimensions.at(-1)!, key: 'other' }),
			'Dimensions of the model'
		],
		['another calendar', ({ calendar }) => (calendar.fiscalStartMonth = (calendar.fiscalStartMonth % 12) + 1), 'can be given more years']
	])('%s stays behind, and says why', async (_, change, sentence) => {
		const packed = changed(change);
		const barred = (await differences(packed)).filter(({ stays }) => stays?.includes(sentence));
		expect(barred).toHaveLength(1);
		expect((await faultOf(takeOver(admin(), 1, packed, { chosen: [barred[0]!.id], handOver: {} }))).message).toContain(sentence);
	});

	test.each<[string, (packed: ModelPackage) => void, string, string]>([
		[
			'a formula that would go in a circle',
			({ formulas }) => {
				const [first] = formulas.filter(({ timing }) => timing === 'per leaf');
				first!.text = `"${first!.account}" + 1`;
			},
			'formulas of',
			''
		],
		['a form without its rows', ({ forms }) => ((forms[0]!.layout as { rows: unknown[] }).rows = []), 'form', 'finished'],
		['a runbook with a step of no kind', ({ runbooks }) => (runbooks[0]!.steps = [{ kind: 'none' }]), 'runbook', 'does not keep its format']
	])('%s is refused with a sentence', async (_, change, what, sentence) => {
		const packed = changed(change);
		const chosen = (await differences(packed)).filter((difference) => difference.what === what && difference.kind === 'changed');
		const before = await counts();
		const [message] = await refusals(previewTakeOver(admin(), 1, packed, { chosen: [chosen[0]!.id], handOver: {} }));
		expect(message).toBeTruthy();
		expect(message).toContain(sentence);
		await faultOf(takeOver(admin(), 1, packed, { chosen: [chosen[0]!.id], handOver: {} }));
		expect(await counts()).toEqual(before);
	});

	test('a variable that a form uses does not go, unless the form goes too', async () => {
		const code = 'by-variable';
		const withForm = changed((other) => {
			const account = dimensionIn(other, 'account').members.find(({ parent }) => parent === null)!.code;
			other.variables.push({ name: 'what matters', member: { dimension: 'account', member: account }, number: null });
			const form = structuredClone(other.forms.find(({ layout }) => JSON.stringify(layout).includes('"kind":"under"'))!);
			const rows = (form.layout as { rows: { parts?: { selection: { of?: unknown } }[] }[] }).rows;
			const part = rows.flatMap(({ parts }) => parts ?? []).find(({ selection }) => typeof selection.of === 'number')!;
			part.selection.of = { variable: 'what matters' };
			other.forms.push({ ...form, code, name: 'By variable' });
		});
		const both = (await differences(withForm)).filter(({ name }) => name === 'what matters' || name === code).map(({ id }) => id);
		expect(both).toHaveLength(2);
		await takeOver(admin(), 1, withForm, { chosen: both, handOver: {} });
		const missing = (await differences(original)).filter(({ name }) => name === 'what matters' || name === code);
		const variable = missing.filter(({ what }) => what === 'variable').map(({ id }) => id);
		expect((await refusals(previewTakeOver(admin(), 1, original, { chosen: variable, handOver: {} })))[0]).toContain('is used by the form');
		const gone = missing.map(({ id }) => id);
		expect(await refusals(takeOver(admin(), 1, original, { chosen: gone, handOver: {} }))).toEqual([]);
		expect((await differences(original)).filter(({ name }) => name === 'what matters' || name === code)).toEqual([]);
	});

	test('what was chosen and is not different any more says so', async () => {
		const fault = await faultOf(takeOver(admin(), 1, original, { chosen: ['member|route|NOBODY'], handOver: {} }));
		expect([fault.status, fault.message]).toEqual([409, expect.stringContaining('Compare again')]);
	});

	test('more years of the calendar come with it, and a list with its choices', async () => {
		const packed = changed((other) => {
			other.calendar.years++;
			other.lists.push({
				key: 'colours',
				name: 'Colours',
				kind: 'general',
				hierarchies: [],
				attributes: [{ name: 'Shade', type: 'text', choices: [] }],
				members: [
					{ code: 'RED', name: 'Red', parent: null, weight: 1, facts: { 'attribute Shade': 'r' } },
					{ code: 'BLUE', name: 'Blue', parent: null, weight: 1 }
				]
			});
		});
		const chosen = (await differences(packed)).filter(({ what, name }) => what === 'calendar' || name === 'colours').map(({ id }) => id);
		expect(chosen).toHaveLength(2);
		expect(await refusals(previewTakeOver(admin(), 1, packed, { chosen, handOver: {} }))).toEqual([]);
		await takeOver(admin(), 1, packed, { chosen, handOver: {} });
		const now = await packModel(database.pool, 1);
		expect(now.calendar.years).toBe(packed.calendar.years);
		const list = await database.pool.query<{ code: string }>('SELECT code FROM dimension WHERE name = $1', ['Colours']);
		expect((await memberTable(admin(), 1, list.rows[0]!.code)).codes).toEqual(['RED', 'BLUE']);
	}, 30_000);

	test('takes more than the right to shape the structure where it is about more', async () => {
		const packed = changed(({ runbooks }) => (runbooks[0]!.description = 'Mine'));
		const chosen = (await able(packed)).filter((id) => id.startsWith('runbook|'));
		const shaper = { ...admin(), permissions: admin().permissions.filter((permission) => permission !== 'rule.write') };
		expect((await faultOf(takeOver(shaper, 1, packed, { chosen, handOver: {} }))).status).toBe(403);
		const planner = people.get('Odile') ?? [...people.values()].find(({ permissions }) => !permissions.includes('structure.write'))!;
		expect((await faultOf(previewTakeOver(planner, 1, packed, { chosen, handOver: {} }))).status).toBe(403);
	});
});

test('a model made of a package shares the rates that are the same', async () => {
	const packed = (await readPackage((await exportPackage(admin(), 1, false)).zip)).packed;
	const sets = async () => (await database.pool.query('SELECT FROM rate_set')).rowCount;
	const before = await sets();
	const made = await createFromPackage(admin(), packed, undefined, 'Again, for trials');
	expect(await sets()).toBe(before);
	// But for what names are unique for in the installation, they are the same.
	expect((await differences(packed, made.id)).map(({ what }) => what).filter((what) => what !== 'import')).toEqual([]);
}, 60_000);

describe('boards and views in a package', () => {
	test('come with it, show figures in another model, and pack to the same again', async () => {
		expect(original.boards.map(({ name }) => name)).toContain('Group, in the morning');
		expect(original.views.length).toBeGreaterThan(2);
		const made = await createFromPackage(admin(), original, undefined, 'With boards');
		const again = await packModel(database.pool, made.id);
		expect(again.boards).toEqual(original.boards);
		expect(again.views).toEqual(original.views);
		const boards = await listBoards(admin(), made.id);
		const morning = boards.find(({ name }) => name === 'Group, in the morning')!;
		const { content } = await readBoard(admin(), made.id, morning.id);
		const { tiles } = await boardFigures(admin(), made.id, { id: morning.id, tab: 0, choices: { members: {} }, content });
		expect(tiles.filter(({ kind }) => kind === 'fault')).toEqual([]);
		// Every tile of a view leads to the view of this model.
		const codes = content.tabs.flatMap(({ tiles: all }) => all.flatMap((tile) => (tile.kind === 'view' ? [tile.code] : [])));
		for (const code of codes) expect((await openForm(admin(), made.id, code, { members: {} })).form.rows.length).toBeGreaterThan(0);
	});

	test('are taken over one by one: changed, added with a picture, and gone', async () => {
		const dot = 'iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNkYPhfDwAChwGA60e6kgAAAABJRU5ErkJggg==';
		const packed = changed((other) => {
			other.boards[0]!.description = 'Said otherwise';
			other.boards.push({
				...{ name: 'Of the package', description: '', dimensions: [], members: [], runbooks: [] },
				pictures: [{ type: 'image/png', data: dot }],
				content: {
					...{ version: 1, selectors: [], against: null, currencies: ['EUR'], scale: 1 },
					tabs: [{ name: 'One', tiles: [{ id: 1, title: 'Us', width: 4, height: 2, kind: 'picture', picture: 1, alt: 'A dot' }] }]
				}
			});
			other.views.pop();
		});
		const own = (await differences(packed)).filter(({ what }) => what === 'board' || what === 'view');
		expect(own.map(({ what, kind }) => `${what} ${kind}`).sort()).toEqual(['board added', 'board changed', 'view missing']);
		const taken = await takeOver(admin(), 1, packed, { chosen: own.map(({ id }) => id) } as never);
		expect(taken).toMatchObject({ taken: 3, refused: [] });
		const boards = await listBoards(admin(), 1);
		const added = boards.find(({ name }) => name === 'Of the package')!;
		const [tile] = (await readBoard(admin(), 1, added.id)).content.tabs[0]!.tiles;
		expect((await readPicture(admin(), 1, (tile as { picture: number }).picture)).bytes.toString('base64')).toBe(dot);
		expect(boards.find(({ name }) => name === packed.boards[0]!.name)!.description).toBe('Said otherwise');
		expect((await differences(packed)).filter(({ what }) => what === 'board' || what === 'view')).toEqual([]);
	});

	test('a board that does not keep its format, or names what is not there, is refused with its name', async () => {
		const wanted = async (content: unknown, dimensions: string[] = []) => {
			const packed = changed((other) => {
				other.boards = [{ ...{ name: 'Odd', description: '', dimensions, members: [], runbooks: [], pictures: [] }, content }];
			});
			return faultOf(createFromPackage(admin(), packed, undefined, `Odd ${Math.random()}`));
		};
		const plain = { version: 1, selectors: [], against: null, currencies: ['EUR'], scale: 1, tabs: [{ name: 'One', tiles: [] }] };
		for (const content of [null, 5, {}, { ...plain, tabs: [{}] }, { ...plain, scale: 7 }])
			expect(await wanted(content)).toMatchObject({ message: 'The board Odd does not keep its format.' });
		const at = { ...plain, selectors: [{ dimension: 0, initial: -1 }] };
		expect(await wanted(at, ['moons'])).toMatchObject({ message: expect.stringContaining('names the dimension moons') });
	});
});

test('what is stored at the end of all this is what the journal says', async () => {
	await expectJournalHolds(database.pool);
});

describe('after all of it', () => {
	test('an engine that followed holds what one opened now reads', async () => {
		await expectFollowed();
	});
});
