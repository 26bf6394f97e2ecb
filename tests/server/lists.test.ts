import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import {
	createModel,
	deleteChoiceList,
	editMembers,
	listChoiceLists,
	makeChoiceList,
	memberTable,
	newModelSchema,
	removeMember,
	type UsedMember
} from '../../src/lib/server/structure';
import { createFromPackage, exportPackage, packModel, readPackage } from '../../src/lib/server/package';
import { followModel, freshDatabase, peopleOf } from './demo-database';
import { faultOf } from './fault-of';

const FORM = 'all-figures';
const ROW = 'State';
const NO_DECISIONS = { keepMine: [], takeTheirs: [] };
let database: Awaited<ReturnType<typeof freshDatabase>>;
let model: number;
let list: string;
let people = new Map<string, SignedIn>();
const admin = () => people.get('Maren')!;

let expectFollowed: () => Promise<void>;

beforeAll(async () => {
	database = await freshDatabase('lists', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
	people = await peopleOf(database.pool);
	const wanted = newModelSchema.parse({
		name: 'Projects',
		reportingCurrency: 'EUR',
		currencies: ['EUR'],
		calendar: {
			grain: 'month',
			pattern: 'calendar months',
			fiscalStartMonth: 1,
			namedBy: 'first year',
			firstYear: 2027,
			years: 2,
			levels: []
		},
		scenarios: [{ name: 'Plan', firstYear: 2027, lastYear: 2028, takesEntries: true }],
		shared: [],
		fresh: ['Project'],
		entities: false
	});
	model = (await createModel(admin(), wanted)).id;
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const accountsOf = async (id: number) =>
	(
		await database.pool.query<{ code: string }>(
			"SELECT d.code FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 AND d.kind = 'account'",
			[id]
		)
	).rows[0]!.code;
const choiceOf = async (name: string) => {
	const { ids, names } = await memberTable(admin(), model, list);
	return ids[names.indexOf(name)]!;
};
const open = async (id = model) => (await openForm(admin(), id, FORM, { members: {} })).form;
type Form = Awaited<ReturnType<typeof open>>;
const place = (form: Form, row: string, column: number) => ({
	row: form.rows.findIndex(({ label }) => label === row),
	column
});
const word = (form: Form, row: string, column: number) => {
	const at = place(form, row, column);
	return new Map(form.words).get(at.row * form.columns.length + at.column);
};
const type = async (text: string, column = 0) => {
	const form = await open();
	return enterFigures(
		admin(),
		model,
		FORM,
		{ members: {} },
		{ entries: [{ ...place(form, ROW, column), text }], structure: form.structure }
	);
};

test('a list is made of names, and is for those who may change the structure', async () => {
	const wanted = { name: 'State of a project', choices: ['Idea', 'Agreed', 'Under way', 'Done'] };
	expect((await faultOf(makeChoiceList(people.get('Tove')!, model, wanted))).status).toBe(403);
	expect((await faultOf(makeChoiceList(admin(), model, { ...wanted, choices: ['Idea', 'idea'] }))).message).toContain(
		'“idea” is there twice'
	);
	list = (await makeChoiceList(admin(), model, wanted)).code;
	expect((await faultOf(makeChoiceList(admin(), model, wanted))).message).toContain('already');
	expect(await listChoiceLists(admin(), model)).toEqual([
		{ code: list, name: wanted.name, choices: 4, first: wanted.choices, accounts: [], of: null }
	]);
	const table = await memberTable(admin(), model, list);
	expect([table.list, table.codes, table.fields.map(({ key }) => key)]).toEqual([true, ['idea', 'agreed', 'under-way', 'done'], []]);
	// Another model does not know it.
	expect(await listChoiceLists(admin(), 1)).toEqual([]);
	expect((await faultOf(memberTable(admin(), 1, list))).status).toBe(404);
});

test('an account chooses from it: typed, shown in words, saved', async () => {
	const accounts = await accountsOf(model);
	const facts = { kind: 'statistic', valueType: 'choice', timeBehaviour: 'none', consolidation: 'none', choiceDimension: list };
	await editMembers(admin(), model, accounts, {
		edits: [{ act: 'add', code: 'STATE', name: ROW, parent: null, facts }],
		handOver: {}
	});
	expect((await listChoiceLists(admin(), model))[0]!.accounts).toEqual([ROW]);
	const typed = await type('agr');
	expect(typed.faults).toEqual([]);
	expect(word(typed.form, ROW, 0)).toBe('Agreed');
	expect((await type('Postponed')).faults[0]!.message).toMatch(/not among the choices/);
	// What an unsaved entry holds is in use too.
	const draft = await faultOf(removeMember(admin(), model, list, await choiceOf('Agreed'), { way: 'delete' }));
	expect((draft.details as UsedMember).uses).toEqual([{ kind: 'choice', name: 'Projects', count: 1 }]);
	expect((await saveDraft(admin(), model, FORM, NO_DECISIONS)).kind).toBe('saved');
	await type('Agreed', 1);
	await saveDraft(admin(), model, FORM, NO_DECISIONS);
	expect(word(await open(), ROW, 1)).toBe('Agreed');
});

test('a choice that cells hold does not vanish: it is replaced, or no longer offered', async () => {
	const agreed = await choiceOf('Agreed');
	const fault = await faultOf(removeMember(admin(), model, list, agreed, { way: 'delete' }));
	expect([fault.status, (fault.details as UsedMember).uses]).toEqual([409, [{ kind: 'choice', name: 'Projects', count: 2 }]]);
	await type('Agreed', 2);
	await removeMember(admin(), model, list, agreed, { way: 'replace', by: await choiceOf('Idea') });
	const form = await open();
	// Saved ones and the unsaved one.
	expect([0, 1, 2].map((column) => word(form, ROW, column))).toEqual(['Idea', 'Idea', 'Idea']);
	expect((await saveDraft(admin(), model, FORM, NO_DECISIONS)).kind).toBe('saved');
	await removeMember(admin(), model, list, await choiceOf('Idea'), { way: 'retire' });
	const retired = await open();
	expect(word(retired, ROW, 0)).toBe('Idea');
	expect(Object.values(retired.choices)[0]!.map(({ name }) => name)).toEqual(['Under way', 'Done']);
	// A choice that nothing holds goes without asking.
	await removeMember(admin(), model, list, await choiceOf('Under way'), { way: 'delete' });
	expect((await memberTable(admin(), model, list)).names).toEqual(['Idea', 'Done']);
});

test('a new choice and a new name are in every form at once', async () => {
	const idea = await choiceOf('Idea');
	await editMembers(admin(), model, list, {
		edits: [
			{ act: 'set', member: idea, field: 'name', value: 'Proposed' },
			{ act: 'add', code: 'stopped', name: 'Stopped', parent: null }
		],
		handOver: {}
	});
	const form = await open();
	expect(word(form, ROW, 0)).toBe('Proposed');
	expect(Object.values(form.choices)[0]!.map(({ name }) => name)).toContain('Stopped');
});

test('a package carries lists, and the cells that choose from them', async () => {
	const { zip } = await exportPackage(admin(), model, true);
	const { packed, numbers } = await readPackage(zip);
	expect(packed.lists.map(({ key, members }) => [key, members.map(({ code }) => code)])).toEqual([
		['state-of-a-project', ['idea', 'done', 'stopped']]
	]);
	const made = await createFromPackage(admin(), packed, numbers, 'Projects again');
	expect(word(await open(made.id), ROW, 0)).toBe('Proposed');
	expect((await packModel(database.pool, made.id)).lists).toEqual(packed.lists);
	// A list of its own: the first one's is another.
	const [own] = await listChoiceLists(admin(), made.id);
	expect([own!.accounts, own!.of, own!.code === list]).toEqual([[ROW], null, false]);
});

test('a model that shares the accounts knows the list too, and does not lose it', async () => {
	const accounts = await accountsOf(model);
	const wanted = newModelSchema.parse({
		name: 'Projects abroad',
		reportingCurrency: 'EUR',
		currencies: ['EUR'],
		calendar: {
			grain: 'month',
			pattern: 'calendar months',
			fiscalStartMonth: 1,
			namedBy: 'first year',
			firstYear: 2027,
			years: 1,
			levels: []
		},
		scenarios: [{ name: 'Plan', firstYear: 2027, lastYear: 2027, takesEntries: true }],
		shared: [accounts],
		fresh: [],
		entities: false
	});
	const { id } = await createModel(admin(), wanted);
	expect((await listChoiceLists(admin(), id)).map(({ name, of }) => [name, of])).toEqual([['State of a project', 'Projects']]);
	const { ids, codes, values } = await memberTable(admin(), id, accounts);
	await editMembers(admin(), id, accounts, {
		edits: [{ act: 'set', member: ids[codes.indexOf('STATE')]!, field: 'unit', value: 'step' }],
		handOver: {}
	});
	expect(values.choiceDimension).toContain(list);
	expect((await memberTable(admin(), id, accounts)).values.choiceDimension).toContain(list);
	expect(word(await open(), ROW, 0)).toBe('Proposed');
});

test('a list goes when nothing chooses from it any more', async () => {
	const unused = (await makeChoiceList(admin(), model, { name: 'Ways to pay', choices: ['Cash', 'Credit'] })).code;
	await deleteChoiceList(admin(), model, unused);
	expect((await listChoiceLists(admin(), model)).map(({ code }) => code)).toEqual([list]);
	const fault = await faultOf(deleteChoiceList(admin(), model, list));
	expect([fault.status, fault.message]).toEqual([422, 'State chooses from this list. Give it another one first.']);
	expect((await faultOf(deleteChoiceList(admin(), 1, list))).status).toBe(404);
	expect((await faultOf(deleteChoiceList(people.get('Tove')!, model, list))).status).toBe(403);
});

describe('after all of it', () => {
	test('an engine that followed holds what one opened now reads', async () => {
		await expectFollowed();
	});
});
