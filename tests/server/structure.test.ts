import { closePeriods } from '../../src/lib/server/locks';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { FormLayout } from '../../src/lib/core';
import { closePool } from '../../src/lib/server/database';
import { stopEngines } from '../../src/lib/server/engine';
import { Fault } from '../../src/lib/server/fault';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import {
	addHierarchy,
	addModelCurrency,
	addRateSet,
	applyRows,
	checkFormulaText,
	createModel,
	crossRates,
	defineAttribute,
	deleteAttribute,
	deleteHierarchy,
	dimensionHistory,
	editMembers,
	exportGrid,
	extendHorizon,
	memberTable,
	memberUses,
	newModelSchema,
	previewRates,
	previewRows,
	readCalendarPage,
	readRates,
	readSheet,
	readWiring,
	readFormulas,
	removeMember,
	renameHierarchy,
	renamePeriod,
	setFormulas,
	type FormulaDraft,
	setRates,
	setVariable,
	structureHistory,
	toCsv,
	toWorkbook,
	undoRates,
	undoStructure,
	type HandOverChoice,
	type UsedMember
} from '../../src/lib/server/structure';
import { effectOfEdits, effectOfRows } from '../../src/lib/server/structure/effect';
import { comparePackages, createFromPackage, exportPackage, packModel, readPackage } from '../../src/lib/server/package';
import { expectJournalHolds, followModel, freshDatabase, peopleOf } from './demo-database';
import { faultOf } from './fault-of';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();

let expectFollowed: () => Promise<void>;

beforeAll(async () => {
	database = await freshDatabase('structure', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
	people = await peopleOf(database.pool);
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const admin = () => people.get('Maren')!;
const idOf = async (code: string, dimension: string) =>
	(
		await database.pool.query<{ id: number }>(
			'SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE m.code = $1 AND d.code = $2',
			[code, dimension]
		)
	).rows[0]?.id ?? Number.NaN;
const edit = (dimension: string, edits: object[], handOver = {}, modelId = 1) =>
	editMembers(admin(), modelId, dimension, { edits, handOver } as Parameters<typeof editMembers>[3]);
const codes = async (dimension: string, modelId = 1) => (await memberTable(admin(), modelId, dimension)).codes;
const sumOf = async (where: string) =>
	(await database.pool.query<{ sum: number | null }>(`SELECT sum(amount) FROM report_cells_1 WHERE ${where}`)).rows[0]!.sum;

describe('members', () => {
	test('are added, renamed, moved and taken back, with their history', async () => {
		await edit('route', [{ act: 'add', code: 'R90', name: 'Test crossing', parent: await idOf('ALLROUTES', 'route') }]);
		const id = await idOf('R90', 'route');
		await edit('route', [{ act: 'set', member: id, field: 'name', value: 'Trial crossing', was: 'Test crossing' }]);
		const [latest] = await dimensionHistory(admin(), 1, 'route', id);
		expect(latest).toMatchObject({
			person: 'Maren Kvist',
			words: 'Renamed “Test crossing” to “Trial crossing”',
			changes: [{ title: 'Name', before: 'Test crossing', after: 'Trial crossing' }]
		});
		await undoStructure(admin(), 1, 'route');
		expect((await memberTable(admin(), 1, 'route')).names).toContain('Test crossing');
		await undoStructure(admin(), 1, 'route');
		expect(await codes('route')).not.toContain('R90');
	});

	test('changed by two people at once: the second one is told', async () => {
		const id = await idOf('R01', 'route');
		const { names, ids } = await memberTable(admin(), 1, 'route');
		const was = names[ids.indexOf(id)]!;
		await edit('route', [{ act: 'set', member: id, field: 'name', value: 'First come', was }]);
		const fault = await faultOf(edit('route', [{ act: 'set', member: id, field: 'name', value: 'Second', was }]));
		expect([fault.status, fault.message]).toEqual([
			409,
			`“First come” was changed meanwhile: here it says “First come” now, not “${was}”.`
		]);
		await undoStructure(admin(), 1, 'route');
	});

	test('are for those who may change the structure', async () => {
		const planner = people.get('Tove')!;
		expect((await faultOf(editMembers(planner, 1, 'route', { edits: [{ act: 'remove', member: 1 }], handOver: {} }))).status).toBe(403);
		expect((await faultOf(memberTable(planner, 1, 'route'))).status).toBe(403);
		expect((await memberTable(people.get('Vera')!, 1, 'route')).ids.length).toBeGreaterThan(10);
	});

	test('a leaf with numbers that gets its first child hands them over, every one', async () => {
		const parent = await idOf('6010', 'account');
		const before = await sumOf("account = '6010'");
		const add = [{ act: 'add', code: '6011', name: 'Marine gas oil', parent, facts: { kind: 'expense' } }];
		const fault = await faultOf(edit('account', add));
		expect(fault.code).toBe('numbers below');
		expect(fault.details as HandOverChoice).toMatchObject({ parent: { name: 'Fuel' }, children: [{ code: '6011' }] });
		expect(await codes('account')).not.toContain('6011');
		await edit('account', add, { [parent]: '6011' });
		expect(await sumOf("account = '6010'")).toBeNull();
		expect(await sumOf("account = '6011'")).toBeCloseTo(before!, 4);
		const form = await openForm(admin(), 1, 'route-contribution', { members: {}, currency: 'EUR' });
		expect(form.form.rows.find(({ label }) => label === 'Fuel')?.parent).toBe(true);
		expect(form.form.rows.map(({ label }) => label)).toContain('Marine gas oil');
	});

	test('in use are not deleted; another takes their place, numbers and all', async () => {
		const [from, to] = [await idOf('R01', 'route'), await idOf('R02', 'route')];
		const fault = await faultOf(removeMember(admin(), 1, 'route', from, { way: 'delete' }));
		expect(fault.code).toBe('still used');
		expect((fault.details as UsedMember).uses.map(({ kind }) => kind)).toEqual(expect.arrayContaining(['numbers', 'map']));
		const total = await sumOf("route IN ('R01', 'R02')");
		await removeMember(admin(), 1, 'route', from, { way: 'replace', by: to });
		expect(await codes('route')).not.toContain('R01');
		expect(await sumOf("route IN ('R01', 'R02')")).toBeCloseTo(total!, 4);
		expect((await memberUses(admin(), 1, 'route', to)).map(({ kind }) => kind)).toContain('map');
	});

	test('replaced while somebody saves: both go through, or one is told', async () => {
		const place = async () => {
			const { form } = await openForm(people.get('Tove'), 1, 'route-contribution', { members: {}, currency: 'local' });
			return { form, row: form.rows.findIndex(({ label }) => label === 'Passengers') };
		};
		for (const code of ['RACE1', 'RACE2', 'RACE3']) {
			await edit('route', [{ act: 'add', code, name: code, parent: await idOf('NORTH', 'route').catch(() => null) }]);
			const { form, row } = await place();
			await enterFigures(
				people.get('Tove'),
				1,
				'route-contribution',
				{ members: {}, currency: 'local' },
				{ entries: [{ row, column: 0, text: '+= 1' }], structure: form.structure, method: 'in proportion' }
			);
			const ends = await Promise.allSettled([
				saveDraft(people.get('Tove'), 1, 'route-contribution', { keepMine: [], takeTheirs: [] }),
				removeMember(admin(), 1, 'route', await idOf(code, 'route'), { way: 'replace', by: await idOf('R05', 'route') })
			]);
			for (const end of ends) if (end.status === 'rejected') expect(end.reason).toBeInstanceOf(Fault);
			await saveDraft(people.get('Tove'), 1, 'route-contribution', { keepMine: [], takeTheirs: [] });
		}
		expect(await codes('route')).not.toContain('RACE1');
	});

	test('retired take no new entries and keep what they have', async () => {
		const id = await idOf('R03', 'route');
		await removeMember(admin(), 1, 'route', id, { way: 'retire' });
		const dimension = (await database.pool.query<{ id: number }>("SELECT id FROM dimension WHERE code = 'route'")).rows[0]!.id;
		const { form } = await openForm(people.get('Tove'), 1, 'route-contribution', { members: { [dimension]: id }, currency: 'local' });
		expect(form.marks).not.toContain('e');
		expect(form.values.some((value) => value !== null)).toBe(true);
		await undoStructure(admin(), 1, 'route');
	});

	test('stand in an alternate hierarchy besides', async () => {
		await addHierarchy(admin(), 1, 'route', { name: 'By season' });
		await edit('route', [{ act: 'add', code: 'SUMMER', name: 'Summer routes', parent: null, hierarchy: 'By season' }]);
		const summer = await idOf('SUMMER', 'route');
		await edit('route', [
			{ act: 'move', members: [await idOf('R04', 'route'), await idOf('R05', 'route')], parent: summer, hierarchy: 'By season' }
		]);
		const table = await memberTable(admin(), 1, 'route', 'By season');
		expect(table.codes.map((code, row) => `${table.depths[row]} ${code}`)).toEqual(['0 SUMMER', '1 R04', '1 R05']);
	});

	test('an alternate hierarchy is renamed, in the forms that select by it too; deleted only when none does, and brought back', async () => {
		const select = (hierarchy: string) => ({ kind: 'leaves', of: 0, hierarchy });
		const found = await database.pool.query<{ id: number; layout: FormLayout }>(
			"SELECT id, layout FROM form WHERE code = 'route-contribution'"
		);
		const { id: form, layout } = found.rows[0]!;
		const route = (await database.pool.query<{ id: number }>("SELECT id FROM dimension WHERE code = 'route'")).rows[0]!.id;
		const summer = await idOf('SUMMER', 'route');
		const selectors = layout.selectors.map((part) =>
			part.dimension === route
				? { ...part, selection: { kind: 'except', from: { ...select('By season'), of: summer }, without: { kind: 'all' } } }
				: part
		);
		expect(selectors).not.toEqual(layout.selectors);
		await database.pool.query('UPDATE form SET layout = $2 WHERE id = $1', [form, JSON.stringify({ ...layout, selectors })]);
		await addHierarchy(admin(), 1, 'route', { name: 'By sea' });
		await expect(renameHierarchy(admin(), 1, 'route', { name: 'By season', becomes: 'by SEA' })).rejects.toThrow('already');
		await expect(renameHierarchy(people.get('Tove'), 1, 'route', { name: 'By season', becomes: 'x' })).rejects.toMatchObject({
			status: 403
		});
		await renameHierarchy(admin(), 1, 'route', { name: 'By season', becomes: 'By weather' });
		const stored = await database.pool.query<{ layout: FormLayout }>('SELECT layout FROM form WHERE id = $1', [form]);
		expect(JSON.stringify(stored.rows[0]!.layout)).toContain('"hierarchy":"By weather"');
		expect(JSON.stringify(stored.rows[0]!.layout)).not.toContain('By season');
		await expect(deleteHierarchy(admin(), 1, 'route', { name: 'By weather' })).rejects.toThrow('selects by “By weather”');
		await database.pool.query('UPDATE form SET layout = $2 WHERE id = $1', [form, JSON.stringify(layout)]);

		// A group that stands in another alternate too stays; one that stands here alone goes.
		await edit('route', [{ act: 'add', code: 'NORTH-W', name: 'Northern waters', parent: null, hierarchy: 'By sea' }]);
		const north = await idOf('NORTH-W', 'route');
		await edit('route', [{ act: 'move', members: [await idOf('R04', 'route')], parent: north, hierarchy: 'By sea' }]);
		const r06 = await idOf('R06', 'route');
		await expect(edit('route', [{ act: 'move', members: [r06], parent: north, hierarchy: 'By weather' }])).rejects.toThrow(
			'which is not in “By weather”'
		);
		await edit('route', [
			{ act: 'move', members: [north], parent: null, hierarchy: 'By weather' },
			{ act: 'move', members: [r06], parent: north, hierarchy: 'By weather' }
		]);
		await expect(edit('route', [{ act: 'take out', member: north, hierarchy: 'By weather' }])).rejects.toThrow(
			'which is not in “By weather”'
		);
		const shown = async () => {
			const { codes: all, depths } = await memberTable(admin(), 1, 'route', 'By weather');
			return all.map((code, row) => `${depths[row]} ${code}`);
		};
		const before = await shown();
		expect(before).toEqual(['0 SUMMER', '1 R04', '1 R05', '0 NORTH-W', '1 R06']);
		expect((await deleteHierarchy(admin(), 1, 'route', { name: 'By weather' })).words).toBe(
			'Deleted the hierarchy “By weather” with the one group that stood in it alone'
		);
		expect(await codes('route')).not.toContain('SUMMER');
		expect(await codes('route')).toContain('NORTH-W');
		expect((await memberTable(admin(), 1, 'route')).hierarchies).toEqual(['By sea']);
		await expect(memberTable(admin(), 1, 'route', 'By weather')).rejects.toMatchObject({ status: 404 });
		await undoStructure(admin(), 1, 'route');
		expect(await shown()).toEqual(before);
		// Without anything in it, it goes as well.
		await addHierarchy(admin(), 1, 'route', { name: 'Empty' });
		expect((await deleteHierarchy(admin(), 1, 'route', { name: 'Empty' })).words).toBe('Deleted the hierarchy “Empty”');
		await deleteHierarchy(admin(), 1, 'route', { name: 'By sea' });
		await renameHierarchy(admin(), 1, 'route', { name: 'By weather', becomes: 'By season' });
	});

	test('an entry typed into a form that shows an older structure is refused', async () => {
		const opened = await openForm(people.get('Tove'), 1, 'route-contribution', { members: {}, currency: 'local' });
		await edit('version', [{ act: 'set', member: await idOf('WORK', 'version'), field: 'name', value: 'In work' }]);
		const typed = enterFigures(
			people.get('Tove'),
			1,
			'route-contribution',
			{ members: {}, currency: 'local' },
			{ entries: [{ row: 3, column: 0, text: '1' }], structure: opened.form.structure, method: 'in proportion' }
		);
		expect((await faultOf(typed)).message).toContain('lines of this form have changed');
		const again = await openForm(people.get('Tove'), 1, 'route-contribution', { members: {}, currency: 'local' });
		expect(again.form.structure).toBeGreaterThan(opened.form.structure);
		expect(again.form.selectors.flatMap(({ choices }) => choices.map(({ name }) => name))).toContain('In work');
	});
});

const balances = async () => (await database.pool.query<{ id: number }>("SELECT id FROM model WHERE code = 'balances'")).rows[0]!.id;
const yearOfBalances = async (id: number, form = 'balances-by-flow') => {
	const { form: shown } = await openForm(admin(), id, form, { members: {}, currency: 'EUR' });
	return shown.rows.map(({ label }, row) => {
		const [opening = 0, added = 0, gone = 0, taken = 0, closing = 0] = shown.values
			.slice(row * 5, row * 5 + 5)
			.map((value) => Math.round(value ?? 0));
		return [label, opening, added, gone, taken, closing] as const;
	});
};

describe('movements as a dimension', () => {
	test('a year opens with its first month, moves by all of them, and closes with both; owners’ funds match net assets', async () => {
		const rows = await yearOfBalances(await balances());
		for (const [label, opening, added, gone, taken, closing] of rows)
			expect(opening + added - gone + taken, label).toBeCloseTo(closing, -1);
		const [net, own] = ['Net assets', 'Owners’ funds'].map((name) => rows.find(([label]) => label === name)!);
		expect([own![1], own![5]]).toEqual([net![1], net![5]]);
		expect(rows.find(([label]) => label === 'Result of the year')![1]).toBe(0);
	});

	test('what a member is in a balance shows what it would move, is set, and is taken back', async () => {
		const id = await balances();
		const before = await yearOfBalances(id);
		const edits = [{ act: 'set' as const, member: await idOf('ADD', 'flow'), field: 'balance', value: 'closing', was: 'movement' }];
		expect((await effectOfEdits(admin(), id, 'flow', { edits, handOver: {} })).lines.map(({ account }) => account)).toContain('Net assets');
		await edit('flow', edits, {}, id);
		expect(await yearOfBalances(id)).not.toEqual(before);
		await undoStructure(admin(), id, 'flow');
		expect(await yearOfBalances(id)).toEqual(before);
	});

	test('has nothing beneath its members, and is one in a model', async () => {
		const id = await balances();
		const under = edit('flow', [{ act: 'add', code: 'SUB', name: 'Bought new', parent: await idOf('ADD', 'flow') }], {}, id);
		expect((await faultOf(under)).message).toContain('“Additions” is a movement of balances; nothing can stand under it.');
		const line = await idOf('R08', 'route');
		const set = (value: string) => edit('route', [{ act: 'set', member: line, field: 'balance', value, was: '' }]);
		await set('opening');
		const other = await faultOf(
			edit('department', [{ act: 'set', member: await idOf('DK', 'department'), field: 'balance', value: 'closing', was: '' }])
		);
		expect(other.message).toContain('Members of one dimension only say opening, movement or closing.');
		await undoStructure(admin(), 1, 'route');
		expect((await database.pool.query('SELECT FROM balance_role WHERE member_id = $1', [line])).rowCount).toBe(0);
	});
});

describe('accounts', () => {
	test('a change of behaviour shows what it does to totals, and does it', async () => {
		const edits = [{ act: 'set' as const, member: await idOf('6020', 'account'), field: 'timeBehaviour', value: 'closing' }];
		const { lines } = await effectOfEdits(admin(), 1, 'account', { edits, handOver: {} });
		expect(lines.length).toBeGreaterThan(0);
		expect(lines.map(({ account }) => account)).toEqual(expect.arrayContaining(['Harbour dues']));
		expect(lines.every(({ before, after }) => before !== after)).toBe(true);
		expect(
			(await effectOfEdits(admin(), 1, 'account', { edits: [{ ...edits[0]!, field: 'name', value: 'Port dues' }], handOver: {} })).lines
		).toEqual([]);
	});
	test('pasted rows tell which totals they move, also where they add accounts', async () => {
		const rows = (grid: string[][]) => ({ grid, absent: 'keep' as const, leaveOutFaulty: false, handOver: {} });
		const parent = (await memberTable(admin(), 1, 'account')).codes;
		expect(parent).toContain('6020');
		const { lines } = await effectOfRows(
			admin(),
			1,
			'account',
			rows([
				['Code', 'Name', 'Parent', 'Weight'],
				['6020', 'Harbour dues', 'NEWGRP', '1'],
				['NEWGRP', 'Set apart', '', '1']
			])
		);
		expect(lines.map(({ account }) => account)).toContain('Voyage costs');
		expect(lines.every(({ before, after }) => before !== after)).toBe(true);
		expect(
			(
				await effectOfRows(
					admin(),
					1,
					'account',
					rows([
						['Code', 'Name'],
						['6020', 'Port dues']
					])
				)
			).lines
		).toEqual([]);
	});
	test('a leaf that moves shows the totals it leaves and joins, though the whole stays', async () => {
		const { rows: places } = await database.pool.query<{ leaf: number; parent: number; name: string }>(
			`SELECT n.member_id AS leaf, n.parent_id AS parent, p.name FROM hierarchy_node n JOIN member p ON p.id = n.parent_id
			JOIN hierarchy h ON h.id = n.hierarchy_id JOIN dimension d ON d.id = h.dimension_id
			WHERE d.code = 'department' AND h.main AND NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = n.member_id) ORDER BY n.member_id`
		);
		const [leaf] = places;
		const other = places.find(({ name }) => name !== leaf!.name && name !== 'All departments')!;
		const { lines } = await effectOfEdits(admin(), 1, 'department', {
			edits: [{ act: 'move', members: [leaf!.leaf], parent: other.parent }],
			handOver: {}
		});
		expect(new Set(lines.map(({ member }) => member))).toEqual(new Set([leaf!.name, other.name]));
	});
	test('a pasted column of formulas is taken: shown before, refused as a whole where one is wrong, exported and back', async () => {
		const rows = (grid: string[][]) => ({ grid, absent: 'keep' as const, leaveOutFaulty: false, handOver: {} });
		const wrong = rows([
			['Code', 'Name', 'Formula'],
			['PERSAIL', 'Cost per sailing', '= "Voyage costs" / (Sailings'],
			['DUES2', 'Dues twice', '"Harbour dues" * 2']
		]);
		const seen = await previewRows(admin(), 1, 'account', wrong);
		expect(seen.counts).toMatchObject({ error: 1, add: 1 });
		expect(seen.lines[0]!.faults[0]).toMatch(/^Formula: At character/);
		expect((await faultOf(applyRows(admin(), 1, 'account', wrong))).message).toMatch(/^Row 2: Formula: .*Nothing was changed\.$/);
		expect((await memberTable(admin(), 1, 'account')).codes).not.toContain('DUES2');

		const right = rows([
			['Code', 'Name', 'Parent', 'Value type', 'Kind', 'Formula'],
			['DUES2', 'Dues twice', '', 'money', 'statistic', '= "Harbour dues" * 2']
		]);
		expect((await previewRows(admin(), 1, 'account', right)).lines[0]).toMatchObject({
			action: 'add',
			changes: expect.arrayContaining([{ title: 'Formula', before: '', after: '"Harbour dues" * 2' }])
		});
		expect((await memberTable(admin(), 1, 'account')).codes).not.toContain('DUES2');
		await applyRows(admin(), 1, 'account', right);
		const account = await idOf('DUES2', 'account');
		expect((await readFormulas(admin(), 1, account)).formulas).toMatchObject([{ text: '"Harbour dues" * 2', timing: 'per leaf' }]);
		const { grid } = await exportGrid(admin(), 1, 'account');
		const back = await previewRows(admin(), 1, 'account', rows(grid));
		expect(back.counts).toMatchObject({ error: 0, add: 0, change: 0, move: 0 });
		// Only a formula changes; an account that reads itself by way of another one is refused.
		await applyRows(
			admin(),
			1,
			'account',
			rows([
				['Code', 'Formula'],
				['DUES2', '"Harbour dues" * 3']
			])
		);
		expect((await readFormulas(admin(), 1, account)).formulas[0]!.text).toBe('"Harbour dues" * 3');
		expect(
			(
				await faultOf(
					applyRows(
						admin(),
						1,
						'account',
						rows([
							['Code', 'Formula'],
							['DUES2', '"Dues twice" + 1']
						])
					)
				)
			).status
		).toBe(422);
		expect((await faultOf(undoStructure(admin(), 1, 'account'))).message).toContain('cannot be taken back here');
		await setFormulas(admin(), 1, { account, formulas: [], was: (await readFormulas(admin(), 1, account)).formulas });
		await removeMember(admin(), 1, 'account', account, { way: 'delete' });
	});
	test('a formula that can be read and yet not be kept is told before', async () => {
		const account = await idOf('PERSAIL', 'account');
		const keep = (text: string) => ({
			text,
			keep: { account, formulas: [{ text, timing: 'after totals' as const, scenarios: null, from: null, to: null, mayBeTyped: false }] }
		});
		const { formulas } = await readFormulas(admin(), 1, account);
		expect(await checkFormulaText(admin(), 1, keep('Sailings * 2'))).toEqual({ faults: [], refused: null });
		expect((await checkFormulaText(admin(), 1, keep('"Voyage cost a sailing" + 1'))).refused).toContain('Formulas run in a circle');
		expect((await checkFormulaText(admin(), 1, keep('Sailings * ('))).faults).toHaveLength(1);
		expect((await readFormulas(admin(), 1, account)).formulas).toEqual(formulas);
	});
	test('a live formula is read from text, refused where it goes wrong, and shown in today’s names', async () => {
		const account = await idOf('PERSAIL', 'account');
		const { formulas: was } = await readFormulas(admin(), 1, account);
		const fromTotals = (text: string): FormulaDraft => ({
			text,
			timing: 'after totals',
			scenarios: null,
			from: null,
			to: null,
			mayBeTyped: false
		});
		expect(was).toEqual([fromTotals('"Voyage costs" / Sailings')]);
		const set = (text: string, before = was) => setFormulas(admin(), 1, { account, formulas: [fromTotals(text)], was: before });
		expect((await faultOf(set('VOYAGE / Sailing'))).message).toBe(
			'At character 10: There is no account “Sailing”. Did you mean “Sailings”?'
		);
		expect((await faultOf(set('"Voyage cost a sailing" * 2'))).message).toContain('Formulas run in a circle');
		expect((await faultOf(set('Sailings{Month - 1}'))).message).toContain('reads at its own cell only');
		expect((await faultOf(set('1', [fromTotals('something else')]))).status).toBe(409);
		const form = async () => (await openForm(admin(), 1, 'route-contribution', { members: {}, currency: 'EUR' })).form;
		const at = async () => {
			const { rows, columns, values } = await form();
			return values[rows.findIndex(({ label }) => label === 'Voyage cost a sailing') * columns.length + 12];
		};
		const before = (await at())!;
		// Comments stay; names are those of today.
		const doubled = await set('2 * VOYAGE / S10 -- both ways');
		expect(doubled.formulas.map(({ text }) => text)).toEqual(['2 * "Voyage costs" / Sailings -- both ways']);
		expect(doubled.feeds.map(({ name }) => name)).toEqual(['Voyage costs', 'Sailings']);
		expect(await at()).toBeCloseTo(2 * before, 6);
		await setFormulas(admin(), 1, { account, formulas: was, was: doubled.formulas });
		expect((await readFormulas(admin(), 1, await idOf('S10', 'account'))).fed.map(({ name }) => name)).toContain('Voyage cost a sailing');
	});
	test('formulas per leaf stand in scopes of their own, look back, follow what changes, and go again', async () => {
		const [energy, cleaning] = [await idOf('6310', 'account'), await idOf('6320', 'account')];
		const { scenarios, periods } = await readFormulas(admin(), 1, cleaning);
		const scenario = scenarios.find(({ name }) => name === 'Budget FY2028')!.id;
		const half = (text: string, from: string, to: string): FormulaDraft => ({
			text,
			timing: 'per leaf',
			scenarios: [scenario],
			from: periods.find(({ name }) => name === from)!.id,
			to: periods.find(({ name }) => name === to)!.id,
			mayBeTyped: false
		});
		const first = half('"Terminal energy" * 10%', 'Apr 2027', 'Sep 2027');
		const second = half('"Terminal cleaning"{Month - 1} * 1.01', 'Oct 2027', 'Mar 2028');
		const set = (formulas: FormulaDraft[], was: FormulaDraft[] = []) => setFormulas(admin(), 1, { account: cleaning, formulas, was });
		expect((await faultOf(set([first, { ...second, from: first.from }]))).message).toContain('meet in the same scenario and period');
		expect((await faultOf(set([{ ...first, text: '"Terminal running" * 2' }]))).message).toContain('which adds up others');
		await set([first, second]);
		const values = async () => {
			const { form } = await openForm(admin(), 1, 'route-contribution', { members: {}, currency: 'EUR' });
			return (label: string, month: number) =>
				form.values[form.rows.findIndex((row) => row.label === label) * form.columns.length + month]!;
		};
		const at = await values();
		expect(at('Terminal cleaning', 0)).toBeCloseTo(at('Terminal energy', 0) / 10, 2);
		expect(at('Terminal cleaning', 11)).toBeCloseTo(at('Terminal cleaning', 5) * 1.01 ** 6, 2);
		expect((await readFormulas(admin(), 1, energy)).fed.map(({ name }) => name)).toEqual(['Terminal cleaning']);
		await set([], [first, second]);
		expect((await values())('Terminal cleaning', 0)).not.toBeCloseTo(at('Terminal cleaning', 0), 2);
	});
	test('what the core refuses does not get in', async () => {
		const margin = await idOf('MARGIN', 'account');
		const fault = await faultOf(removeMember(admin(), 1, 'account', margin, { way: 'delete' }));
		expect(fault.code).toBe('still used');
	});
});

describe('pasted and loaded rows', () => {
	const grid = [
		['Code', 'Name', 'Parent', 'Kind', 'Decimals'],
		['9000', 'Technology', '', '', ''],
		['9010', 'Licences', '9000', 'expense', '0'],
		['9020', 'Machines', '9000', 'expense', 'many']
	];
	const rows = (more: object = {}) => ({ grid, absent: 'keep' as const, leaveOutFaulty: false, handOver: {}, ...more });
	test('show their faults, and nothing is half applied', async () => {
		const preview = await previewRows(admin(), 1, 'account', rows());
		expect(preview.counts).toMatchObject({ add: 2, error: 1 });
		expect(preview.lines[0]).toMatchObject({ row: 4, action: 'error', faults: ['Decimals: “many” is not a number.'] });
		expect((await faultOf(applyRows(admin(), 1, 'account', rows()))).status).toBe(422);
		expect(await codes('account')).not.toContain('9010');
		expect(await applyRows(admin(), 1, 'account', rows({ leaveOutFaulty: true }))).toMatchObject({ added: 2 });
		expect(await codes('account')).toContain('9010');
		await undoStructure(admin(), 1, 'account');
		expect(await codes('account')).not.toContain('9000');
	});
	test('come out as CSV and as a workbook, and change nothing when they come back', async () => {
		const { grid: exported, name } = await exportGrid(admin(), 1, 'account');
		for (const bytes of [Buffer.from(toCsv(exported)), await toWorkbook(name, exported)]) {
			const back = await readSheet('accounts', bytes);
			const { counts } = await previewRows(admin(), 1, 'account', { grid: back, absent: 'keep', leaveOutFaulty: false, handOver: {} });
			expect(counts).toMatchObject({ add: 0, change: 0, move: 0, error: 0 });
		}
	});
	test('are guarded against formulas on the way out', async () => {
		await defineAttribute(admin(), 1, 'route', { name: '=cmd', type: 'text', choices: [] });
		await edit('route', [{ act: 'set', member: await idOf('R05', 'route'), field: 'name', value: '+cmd|calc' }]);
		const { grid: exported } = await exportGrid(admin(), 1, 'route');
		// A heading is no formula either, and is known again when it comes back.
		expect(exported[0]).toContain("'=cmd");
		expect(
			(await previewRows(admin(), 1, 'route', { grid: exported, absent: 'keep', leaveOutFaulty: false, handOver: {} })).columns.at(-1)
		).toMatchObject({
			heading: '=cmd',
			field: 'attribute =cmd'
		});
		expect(exported.flat()).toContain("'+cmd|calc");
		const { counts } = await previewRows(admin(), 1, 'route', { grid: exported, absent: 'keep', leaveOutFaulty: false, handOver: {} });
		expect(counts).toMatchObject({ change: 0, error: 0 });
		await undoStructure(admin(), 1, 'route');
		await deleteAttribute(admin(), 1, 'route', '=cmd');
	});
	test.each([
		['Windows-1252', Buffer.from('Code;Name\nK1;K\xf8benhavn\n', 'latin1'), 'København'],
		['UTF-16', Buffer.from('\ufeffCode\tName\nK1\tKøbenhavn\n', 'utf16le'), 'København']
	])('are read from %s', async (_, bytes, name) => expect((await readSheet('list.csv', bytes))[1]![1]).toBe(name));
	test('a file that is none is refused with a sentence', async () =>
		expect((await faultOf(readSheet('picture.png', Buffer.from([0x89, 0x50, 0x00, 0x00, 0x0a, 0x00])))).message).toContain(
			'neither a CSV file nor a workbook'
		));
});

describe('attributes, variables, calendar, rates', () => {
	test('an attribute keeps its type while members have values', async () => {
		await defineAttribute(admin(), 1, 'route', { name: 'Shore', type: 'choice', choices: ['North', 'South'] });
		const member = await idOf('R04', 'route');
		await edit('route', [{ act: 'set', member, field: 'attribute Shore', value: 'South' }]);
		expect((await faultOf(defineAttribute(admin(), 1, 'route', { name: 'Shore', type: 'number', choices: [] }))).message).toContain(
			'1 members have a value'
		);
		expect((await faultOf(defineAttribute(admin(), 1, 'route', { name: 'Shore', type: 'choice', choices: ['North'] }))).message).toContain(
			'have the choice “South”'
		);
		expect((await memberTable(admin(), 1, 'route')).values['attribute Shore']).toContain('South');
		await deleteAttribute(admin(), 1, 'route', 'Shore');
		expect((await memberTable(admin(), 1, 'route')).values['attribute Shore']).toBeUndefined();
	});
	test('the calendar grows at both ends and no number moves', async () => {
		const before = await sumOf('true');
		await extendHorizon(admin(), 1, { before: 1, after: 2 });
		const { periods } = await readCalendarPage(admin(), 1);
		const years = periods.filter(({ level }) => level === 'year').map(({ code }) => code);
		expect(years).toEqual(['FY2024', 'FY2025', 'FY2026', 'FY2027', 'FY2028', 'FY2029', 'FY2030', 'FY2031']);
		expect(await sumOf('true')).toBe(before);
		const form = await openForm(admin(), 1, 'route-contribution', { members: {}, currency: 'EUR' });
		expect(form.form.columns).toHaveLength(13);
	});
	test('a period gets another name; closing ends the span and locks', async () => {
		const { periods, scenarios } = await readCalendarPage(admin(), 1);
		const october = periods.find(({ code }) => code === '2026-10')!;
		await renamePeriod(admin(), 1, { period: october.id, name: 'Oct 26', was: october.name });
		const actual = scenarios.find(({ code }) => code === 'ACT')!;
		await closePeriods(admin(), 1, { scenario: actual.id, to: october.id, reason: '' });
		const closed = (await readCalendarPage(admin(), 1)).scenarios.find(({ code }) => code === 'ACT')!;
		expect(closed).toMatchObject({ spanTo: '2026-10', closed: '2026-10-31' });
		const locks = await database.pool.query("SELECT name FROM access_lock WHERE layer = 'period close'");
		await expect(closePeriods(admin(), 1, { scenario: actual.id, to: null, reason: '' })).rejects.toThrow('Say why');
		expect(locks.rows).toEqual([{ name: 'Actual to Oct 26' }]);
	});
	test('a variable names a member; one that is no member of the model is refused', async () => {
		await setVariable(admin(), 1, { name: 'Current year', member: await idOf('FY2028', 'period'), number: null });
		expect((await memberUses(admin(), 1, 'period', await idOf('FY2028', 'period'))).map(({ name }) => name)).toContain('Current year');
		expect((await faultOf(setVariable(admin(), 1, { name: 'X', member: 99_999_999, number: null }))).status).toBe(422);
	});
	test('rates are set over what stood there, and one that changed meanwhile is refused', async () => {
		const set = (await readRates(admin(), 1)).sets.find(({ name }) => name === 'Budget rates FY2028')!;
		const rate = { currency: 'NOK', kind: 'average' as const, from: '2027-06-01', to: '2027-06-30', value: 12 };
		await setRates(admin(), 1, set.id, { version: set.version, rates: [rate] });
		const spans = (await readRates(admin(), 1)).sets
			.find(({ id }) => id === set.id)!
			.lines.find(({ currency, kind }) => currency === 'NOK' && kind === 'average')!.spans;
		expect(spans.map(({ from, to }) => `${from} ${to}`)).toEqual([
			'2024-04-01 2027-05-31',
			'2027-06-01 2027-06-30',
			'2027-07-01 2029-03-31'
		]);
		expect((await faultOf(setRates(admin(), 1, set.id, { version: set.version, rates: [rate] }))).status).toBe(409);
		expect(
			(await faultOf(setRates(admin(), 1, set.id, { version: set.version + 1, rates: [{ ...rate, currency: 'EUR' }] }))).message
		).toContain('has none itself');
		const cross = await crossRates(admin(), 1, set.id, 'GBP', 'NOK', 'average');
		expect(cross.find(({ name }) => name === 'Jun 2027')!.value).toBeCloseTo(12 / 0.8706, 3);
	});
	test('every change stands in the history of what it changed', async () => {
		const words = async (kind: 'calendar' | 'rate set' | 'variable') =>
			(await structureHistory(admin(), 1, [kind])).map((change) => `${change.person}: ${change.words}`);
		expect(await words('calendar')).toEqual([
			'Maren Kvist: Closed Actual up to Oct 26',
			'Maren Kvist: Renamed “Oct 2026” to “Oct 26”',
			'Maren Kvist: Extended the calendar by 1 year before and 2 years after'
		]);
		expect(await words('variable')).toEqual(['Maren Kvist: Set the variable “Current year”']);
		expect(await words('rate set')).toEqual(['Maren Kvist: Changed rates of NOK in “Budget rates FY2028”']);
	});
	test('rates are looked at before they change, with the totals they move, and the last change is taken back', async () => {
		const of = async () => (await readRates(admin(), 1)).sets.find(({ name }) => name === 'Budget rates FY2028')!;
		const set = await of();
		const rates = ['04', '05'].map((month) => ({
			currency: 'NOK',
			kind: 'average' as const,
			from: `2027-${month}-01`,
			to: `2027-${month}-30`,
			value: 20
		}));
		const preview = await previewRates(admin(), 1, set.id, { version: set.version, rates });
		expect(preview.count).toBe(2);
		expect(preview.changes[0]).toMatchObject({ currency: 'NOK', kind: 'average', to: '2027-04-30', after: 20 });
		expect(preview.effect.length).toBeGreaterThan(0);
		expect((await of()).lines).toEqual(set.lines);
		const { version } = await setRates(admin(), 1, set.id, { version: set.version, rates });
		expect((await of()).lastChange).toBe('Changed rates of NOK in “Budget rates FY2028”');
		expect((await previewRates(admin(), 1, set.id, { version, rates })).count).toBe(0);
		expect((await faultOf(undoRates(admin(), 1, set.id, { version: set.version }))).status).toBe(409);
		await undoRates(admin(), 1, set.id, { version });
		expect((await of()).lines).toEqual(set.lines);
		expect((await faultOf(undoRates(people.get('Tove'), 1, set.id, { version }))).status).toBe(403);
	});
	test('a model’s own rate sets come first; those of other models name them', async () => {
		const { sets } = await readRates(admin(), 1);
		const own = sets.map(({ usedBy }) => usedBy.length > 0);
		expect(own).toEqual([...own].sort((a, b) => Number(b) - Number(a)));
		const foreign = sets.filter(({ usedBy, elsewhere }) => usedBy.length === 0 && elsewhere.length > 0);
		for (const { elsewhere } of foreign) expect(elsewhere.length).toBeGreaterThan(0);
		expect(sets[0]!.usedBy.length).toBeGreaterThan(0);
	});
	test('a rate set begins as a copy, and stays apart from what it was copied from', async () => {
		const [first] = (await readRates(admin(), 1)).sets;
		const id = await addRateSet(admin(), 1, { name: 'Rates of a dear winter', pivot: 'EUR', copyOf: first!.id });
		const count = async (set: number) =>
			(await database.pool.query<{ n: number }>('SELECT count(*)::integer AS n FROM rate WHERE rate_set_id = $1', [set])).rows[0]!.n;
		expect(await count(id)).toBe(await count(first!.id));
		expect(await count(id)).toBeGreaterThan(0);
		await database.pool.query('DELETE FROM rate WHERE rate_set_id = $1', [id]);
		expect(await count(first!.id)).toBeGreaterThan(0);
		await expect(addRateSet(admin(), 1, { name: 'Of nothing', pivot: 'EUR', copyOf: 999_999 })).rejects.toMatchObject({ status: 404 });
	});
	test('a currency is added to a model once, by its code of ISO 4217', async () => {
		await addModelCurrency(admin(), 1, { currency: 'SEK' });
		expect((await readRates(admin(), 1)).currencies).toContain('SEK');
		await expect(addModelCurrency(admin(), 1, { currency: 'SEK' })).rejects.toThrow('SEK is a currency of this model already.');
		await expect(addModelCurrency(admin(), 1, { currency: 'XQQ' })).rejects.toThrow('XQQ is no currency of ISO 4217.');
		await expect(addModelCurrency(people.get('Tove'), 1, { currency: 'DKK' })).rejects.toMatchObject({ status: 403 });
	});
	test('gaps are told where a rate is missing', async () => {
		const page = await readRates(admin(), 1);
		// The calendar has grown beyond the rates.
		expect(page.sets[0]!.lines.find(({ currency, kind }) => currency === 'GBP' && kind === 'average')!.gaps).toEqual([
			{ from: '2023-04-01', to: '2024-03-31' },
			{ from: '2029-04-01', to: '2031-03-31' }
		]);
	});
	test('the wiring holds imports, dimensions, formulas and forms, and says what fails', async () => {
		const { nodes, edges } = await readWiring(admin(), 1);
		expect(new Set(nodes.map(({ kind }) => kind))).toEqual(new Set(['import', 'rates', 'dimension', 'formula', 'runbook', 'form']));
		expect(nodes.find(({ name }) => name.includes('edger'))?.trouble).toContain('nothing loaded yet');
		expect(edges.length).toBeGreaterThan(nodes.length);
		// What loads, is loaded by, and is run from.
		const runbook = nodes.find(({ name }) => name === 'Bring crew costs in')!;
		const source = nodes.find(({ name }) => name === 'Costs of new posts')!;
		expect(edges).toContainEqual({ from: source.id, to: runbook.id });
		const opening = nodes.find(({ name }) => name === 'Open the stretch plan')!;
		expect(edges).toContainEqual({ from: opening.id, to: nodes.find(({ name }) => name === 'Route contribution')!.id });
	});
});

describe('a new model', () => {
	const wanted = (more: object = {}) =>
		newModelSchema.parse({
			name: 'Harbour works',
			reportingCurrency: 'EUR',
			currencies: ['GBP', 'JPY'],
			calendar: {
				grain: 'week',
				pattern: '4-4-5',
				fiscalStartMonth: 2,
				weekStart: 1,
				namedBy: 'first year',
				firstYear: 2027,
				years: 2,
				levels: ['quarter', 'month']
			},
			scenarios: [
				{ name: 'Actual', firstYear: 2027, lastYear: 2028, takesEntries: true },
				{ name: 'Budget', firstYear: 2028, lastYear: 2028, takesEntries: true }
			],
			shared: ['department'],
			fresh: ['Project'],
			entityName: 'Yard',
			...more
		});
	test('can be typed into at once, and its figures add up', async () => {
		const model = await createModel(admin(), wanted());
		const { form } = await openForm(admin(), model.id, model.form, { members: {} });
		const row = form.rows.findIndex(({ label }) => label === 'Revenue');
		const entered = await enterFigures(
			admin(),
			model.id,
			model.form,
			{ members: {} },
			{
				entries: [
					{ row, column: 0, text: '1200' },
					{ row: row + 1, column: 0, text: '200' }
				],
				structure: form.structure,
				method: 'in proportion'
			}
		);
		expect(entered.faults).toEqual([]);
		expect(entered.form.values[entered.form.rows.findIndex(({ label }) => label === 'Result') * form.columns.length]).toBe(1_000);
		expect(await saveDraft(admin(), model.id, model.form, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved', cells: 2 });
		// Yen have no decimals, by ISO 4217.
		expect((await database.pool.query("SELECT decimals FROM currency WHERE code = 'JPY'")).rows).toEqual([{ decimals: 0 }]);
	});
	test.each([
		[
			'weeks in calendar months',
			{ calendar: { ...wanted().calendar, pattern: 'calendar months' } },
			'Weeks do not fit into calendar months'
		],
		['a name that is taken', { name: 'group PLAN' }, 'There is a model named'],
		['a currency that is none', { currencies: ['XQQ'] }, 'no currency of ISO 4217'],
		[
			'years the calendar does not have',
			{ scenarios: [{ name: 'Far', firstYear: 2050, lastYear: 2051, takesEntries: true }] },
			'speaks about years'
		],
		['sharing a calendar', { shared: ['period'] }, 'cannot be shared']
	])('is refused with %s', async (_, more, sentence) => {
		expect((await faultOf(createModel(admin(), wanted({ name: `Other ${_}`, ...more })))).message).toContain(sentence);
		expect((await database.pool.query('SELECT FROM model WHERE name LIKE $1', ['Other%'])).rowCount).toBe(0);
	});
});

describe('a model package', () => {
	test('comes back as an equal model, numbers included', async () => {
		const { zip } = await exportPackage(admin(), 1, true);
		const { packed, numbers } = await readPackage(zip);
		const made = await createFromPackage(admin(), packed, numbers, 'Group plan again');
		expect(made.leftOut).toEqual([]);
		const [first, second] = [await packModel(database.pool, 1), await packModel(database.pool, made.id)];
		// Names that are unique in the installation carry a number; everything else is the same.
		const plain = (model: typeof first) =>
			JSON.stringify({ ...model, model: { ...model.model, name: '' } }).replaceAll(/(rates|FY20\d\d|accounts|routes|[a-z]+) 2"/g, '$1"');
		expect(plain(second)).toBe(plain(first));
		// A choice is another number in another model.
		const sums = await Promise.all(
			[1, made.id].map(
				async (id) =>
					(
						await database.pool.query<{ sum: number; count: number }>(
							`SELECT sum(amount) FILTER (WHERE cell::text NOT LIKE '(B10,%'), count(*)::integer AS count FROM report_cells_${id} AS cell`
						)
					).rows[0]!
			)
		);
		expect(sums[1]!.count).toBe(sums[0]!.count);
		expect(sums[1]!.sum).toBeCloseTo(sums[0]!.sum, 2);
		const form = await openForm(admin(), made.id, 'route-contribution', { members: {}, currency: 'EUR' });
		const original = await openForm(admin(), 1, 'route-contribution', { members: {}, currency: 'EUR' });
		form.form.values.forEach((value, place) => {
			const wanted = original.form.values[place]!;
			if (wanted === null) expect(value).toBeNull();
			else expect(value).toBeCloseTo(wanted, 4);
		});
	}, 60_000);
	test('brings what members are in balances, and periods of lines', async () => {
		const id = await balances();
		const { zip } = await exportPackage(admin(), id, true);
		const { packed, numbers } = await readPackage(zip);
		const made = await createFromPackage(admin(), packed, numbers, 'Balances again');
		expect(await yearOfBalances(made.id)).toEqual(await yearOfBalances(id));
		const steps = await database.pool.query<{ definition: { lines: { into?: string }[] } }>(
			'SELECT s.definition FROM runbook_step s JOIN runbook r ON r.id = s.runbook_id WHERE r.model_id = $1',
			[made.id]
		);
		expect(steps.rows[0]!.definition.lines.map(({ into }) => into)).toEqual([
			undefined,
			undefined,
			undefined,
			'later periods of the year',
			'first period of the year'
		]);
	});
	test('whose lock names a group of an alternate hierarchy is refused with a sentence, and nothing is made', async () => {
		const { packed, numbers } = await readPackage((await exportPackage(admin(), 1, false)).zip);
		const lock = { name: 'Summer', layer: 'board' as const, state: 'closed' as const, members: [{ dimension: 'route', member: 'SUMMER' }] };
		const count = async () => (await database.pool.query('SELECT FROM model')).rowCount;
		const before = await count();
		const fault = await faultOf(createFromPackage(admin(), { ...packed, locks: [...packed.locks, lock] }, numbers, 'Locked by season'));
		expect(fault.message).toContain('The lock Summer names Summer routes, a group of the alternate hierarchy By season.');
		expect(await count()).toBe(before);
	});
	test('equal models make equal files', async () => {
		const [one, other] = [await exportPackage(admin(), 1, false), await exportPackage(admin(), 1, false)];
		expect(one.zip.equals(other.zip)).toBe(true);
		// Whenever they are made: no part of the file says when.
		const { default: JSZip } = await import('jszip');
		const dates = Object.values((await JSZip.loadAsync(one.zip)).files).map(({ date }) => date.getFullYear());
		expect(new Set(dates)).toEqual(new Set([2020]));
	});
	test('differences from a model are named', async () => {
		const { packed } = await readPackage((await exportPackage(admin(), 1, false)).zip);
		const own = await packModel(database.pool, 1);
		expect(comparePackages(own, packed)).toEqual([]);
		const route = packed.dimensions.find(({ key }) => key === 'route')!;
		route.members.find(({ code }) => code === 'R04')!.name = 'Other name';
		packed.forms = packed.forms.slice(1);
		expect(comparePackages(own, packed)).toEqual([
			expect.objectContaining({ part: 'Route', what: 'member', name: 'R04', change: expect.stringContaining('→ Other name') }),
			expect.objectContaining({ part: 'Forms', change: 'is not in the package' })
		]);
	});
	test.each([
		['something else', Buffer.from('hello'), 'it is no zip file'],
		['another zip', undefined, 'it has no model.json']
	])('%s is refused with a sentence', async (_, bytes, sentence) => {
		const JSZip = (await import('jszip')).default;
		const given = bytes ?? (await new JSZip().file('readme.txt', 'x').generateAsync({ type: 'nodebuffer' }));
		expect((await faultOf(readPackage(given))).message).toContain(sentence);
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
