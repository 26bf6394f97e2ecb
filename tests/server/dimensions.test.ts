import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { branchesFor, dropBranch, readChanges } from '../../src/lib/server/branch';
import { closePool } from '../../src/lib/server/database';
import { readModelDefinition } from '../../src/lib/server/database/definitions';
import { stopEngines } from '../../src/lib/server/engine';
import type { FormAnswer } from '../../src/lib/server/engine';
import { Fault } from '../../src/lib/server/fault';
import { enterFigures, inspectFigure, openForm, saveDraft, undoEntry, writeNote } from '../../src/lib/server/form';
import { loadFile, readBatch, startTakeBack, stopDataThread } from '../../src/lib/server/import';
import { createFromPackage, exportPackage, readPackage } from '../../src/lib/server/package';
import type { SignedIn } from '../../src/lib/server/session';
import {
	addDimension,
	addDimensionSchema,
	createModel,
	defineAttribute,
	dimensionChoices,
	editMembers,
	newModelSchema,
	previewDimension,
	previewTakeOut,
	putDimensionBack,
	returnableDimension,
	takeOutDimension
} from '../../src/lib/server/structure';
import { expectJournalHolds, followModel, freshDatabase, peopleOf } from './demo-database';

const FORM = 'route-contribution';
const NO_DECISIONS = { keepMine: [], takeTheirs: [] };
let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
let leaf: { members: Record<number, number>; currency: string };
let expectFollowed: () => Promise<void>;

beforeAll(async () => {
	database = await freshDatabase('add_dimension', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
	people = await peopleOf(database.pool);
	const members = await database.pool.query<{ id: number; dimension: number }>(
		"SELECT id, dimension_id AS dimension FROM member WHERE code IN ('R01', 'BK')"
	);
	leaf = { members: Object.fromEntries(members.rows.map(({ id, dimension }) => [dimension, id])), currency: 'local' };
}, 60_000);
afterAll(async () => {
	await stopEngines();
	await stopDataThread();
	await closePool();
	await database.close();
});

const admin = () => people.get('Maren')!;
const tove = () => people.get('Tove')!;
const asked = (wanted: object) => addDimensionSchema.parse(wanted);
const show = async (code = FORM, choices: object = leaf) => (await openForm(tove(), 1, code, { members: {}, ...choices })).form;
const shown = ({ values, flags, marks }: FormAnswer) => ({ values, flags, marks });
const at = (form: FormAnswer, row: string, column: string) => ({
	row: form.rows.findIndex(({ label }) => label === row),
	column: form.columns.findIndex(({ label }) => label === column)
});
const figure = (form: FormAnswer, row: string, column: string) =>
	form.values[at(form, row, column).row * form.columns.length + at(form, row, column).column];
const type = async (row: string, column: string, text: string) => {
	const form = await show();
	return enterFigures(tove(), 1, FORM, leaf, {
		entries: [{ ...at(form, row, column), text }],
		structure: form.structure,
		method: 'in proportion'
	});
};
const totals = async () =>
	(
		await database.pool.query<{ account: string; origin: string; total: string }>(
			'SELECT account, origin, round(sum(amount::numeric), 4)::text AS total FROM report_cells_1 GROUP BY 1, 2 ORDER BY 1, 2'
		)
	).rows;
/** All stored cells, in short. */
const stored = async () =>
	(await database.pool.query<{ cells: string }>("SELECT md5(string_agg(t::text, ' ' ORDER BY t::text)) AS cells FROM report_cells_1 t"))
		.rows[0]!.cells;
const total = async (column: string, member: string) =>
	(
		await database.pool.query<{ total: number }>(
			`SELECT coalesce(sum(amount), 0) AS total FROM report_cells_1 WHERE "${column}" = $1 AND account = '4010'`,
			[member]
		)
	).rows[0]!.total;
async function* bytes(content: string) {
	yield new TextEncoder().encode(content);
}
const load = (amount: string) =>
	loadFile(
		admin(),
		1,
		'ledger',
		'test.csv',
		bytes(`Account;Unit;Route;Posting date;Text;Amount\n7010;S-BK;RT-01;02.09.2026;x;${amount}\n`),
		{ rejects: 'load good rows', again: true }
	);

describe('a dimension that comes into a model with figures', () => {
	test('is refused with a sentence where it cannot, and nothing is changed', async () => {
		const refused = (wanted: object) => expect(addDimension(admin(), 1, asked(wanted))).rejects;
		const fresh = { kind: 'new', name: 'Channel' };
		await expect(addDimension(tove(), 1, asked({ dimension: fresh, by: { kind: 'one', member: null } }))).rejects.toMatchObject({
			status: 403
		});
		await refused({ dimension: { kind: 'new', name: 'ROUTE' }, by: { kind: 'one', member: null } }).toThrow(
			'has a dimension Route already'
		);
		await refused({ dimension: { kind: 'shared', code: 'route' }, by: { kind: 'one', member: null } }).toThrow(
			'has this dimension already'
		);
		await refused({ dimension: { kind: 'shared', code: 'nowhere' }, by: { kind: 'one', member: null } }).toThrow(
			'There is no breakdown nowhere'
		);
		await refused({ dimension: fresh, by: { kind: 'one', member: 'WEB' } }).toThrow('has no members yet');
		await refused({ dimension: fresh, by: { kind: 'attribute', dimension: 'route', attribute: 'Sea' } }).toThrow(
			'Route has no attribute “Sea”'
		);
		await refused({ dimension: fresh, by: { kind: 'map', dimension: 'route', lines: [{ from: 'R99', to: 'x' }] } }).toThrow(
			'Route has no member R99'
		);
		// A bonus is read at “No route”: with figures of other routes elsewhere it would find no share.
		await refused({ dimension: fresh, by: { kind: 'map', dimension: 'route', lines: [{ from: 'R01', to: 'Web' }] } }).toThrow(
			'reads at No route, which goes to No channel'
		);
		// What is read beside a figure must go where the figure goes.
		const scenario = (code: string) => ({ from: code, to: `at ${code}` });
		await refused({ dimension: fresh, by: { kind: 'map', dimension: 'account', lines: [{ from: '6195', to: 'Web' }] } }).toThrow(
			'The formula of Bonus reads'
		);
		await refused({ dimension: fresh, by: { kind: 'map', dimension: 'scenario', lines: [scenario('BUD28')] } }).toThrow('continues from');
		expect((await readModelDefinition(database.pool, 1))!.dimensions.map(({ code }) => code)).not.toContain('channel');
	});

	test('all at one member: every figure, right and mark is as before; what is typed, noted, undone and taken back goes on', async () => {
		const loaded = await load('70-');
		await type('Coaches', 'Apr 2027', '1000');
		await type('Coaches', 'Apr 2027', '1234');
		const saved = await saveDraft(tove(), 1, FORM, NO_DECISIONS);
		expect(saved).toMatchObject({ kind: 'saved' });
		await type('Coaches', 'May 2027', '55');
		await type('Coaches', 'May 2027', '77');
		const before = await show();
		const place = at(before, 'Coaches', 'Apr 2027');
		const { place: named, history } = await inspectFigure(tove(), 1, FORM, leaf, place.row, place.column);
		await writeNote(tove(), 1, FORM, { place: named, text: 'Why so many?' });
		const sums = await totals();
		const preview = await previewDimension(
			admin(),
			1,
			asked({ dimension: { kind: 'new', name: 'Channel' }, by: { kind: 'one', member: null } })
		);
		const done = await addDimension(admin(), 1, asked({ dimension: { kind: 'new', name: 'Channel' }, by: { kind: 'one', member: null } }));
		expect(done).toEqual({ ...preview, code: 'channel' });
		expect(done).toMatchObject({ name: 'Channel', goes: [{ member: 'No channel', from: [], more: 0 }], shownAt: 'No channel', rest: [] });
		expect(done.imports).toHaveLength(4);

		const after = await show();
		expect(shown(after)).toEqual(shown(before));
		expect(await totals()).toEqual(sums);
		const still = await inspectFigure(tove(), 1, FORM, leaf, place.row, place.column);
		expect(still.history).toEqual(history);
		expect(still.address.map(({ dimension, member }) => `${dimension}: ${member}`)).toContain('Channel: No channel');
		const noted = await database.pool.query<{ place: number[] }>("SELECT place FROM note WHERE text = 'Why so many?'");
		expect(noted.rows[0]!.place).toEqual(still.place);
		// The draft and its undo.
		expect(figure(after, 'Coaches', 'May 2027')).toBe(77);
		expect(figure((await undoEntry(tove(), 1, FORM, leaf)).form, 'Coaches', 'May 2027')).toBe(55);
		expect(await saveDraft(tove(), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: 'saved', cells: 1 });
		expect(figure(await show(), 'Coaches', 'May 2027')).toBe(55);
		// Loads of before and after, rows of a cell, and taking back.
		const later = await load('80-');
		expect((await readBatch(admin(), 1, later.batch)).batch).toMatchObject({ state: 'loaded' });
		await startTakeBack(admin(), 1, later.batch, false);
		await startTakeBack(admin(), 1, loaded.batch, false);
		await expectJournalHolds(database.pool);
	});

	test('by an attribute: members are made of its values, each figure goes by its own; worked by hand from the stored sums', async () => {
		const entities = await database.pool.query<{ id: number; code: string }>(
			'SELECT m.id, m.code FROM member m JOIN entity e ON e.member_id = m.id ORDER BY m.code'
		);
		const idOf = (code: string) => entities.rows.find((each) => each.code === code)!.id;
		const dimension = (await database.pool.query<{ code: string }>("SELECT code FROM dimension WHERE kind = 'entity' ORDER BY id LIMIT 1"))
			.rows[0]!.code;
		await defineAttribute(admin(), 1, dimension, { name: 'Sea', type: 'text', choices: [] });
		const set = (code: string, value: string) => ({ act: 'set' as const, member: idOf(code), field: 'attribute Sea', value });
		const outcome = await editMembers(admin(), 1, dimension, {
			edits: [set('NOR', 'Wide sea'), set('SKE', 'wide SEA'), set('AMB', 'Sound')],
			handOver: {}
		});
		expect(outcome.changed).toBe(3);
		const column = (await database.pool.query<{ code: string }>("SELECT code FROM dimension WHERE kind = 'entity' ORDER BY id LIMIT 1"))
			.rows[0]!.code;
		const [nor, ske, amb] = [await total(column, 'NOR'), await total(column, 'SKE'), await total(column, 'AMB')];
		const [sums, before] = [await totals(), await show()];
		const done = await addDimension(
			admin(),
			1,
			asked({ dimension: { kind: 'new', name: 'Waters' }, by: { kind: 'attribute', dimension, attribute: 'Sea' } })
		);
		expect(done.goes.map(({ member, from }) => `${member} ← ${from.toSorted().join(', ')}`)).toContain(
			'Wide sea ← Northgate Line, Skerry Line'
		);
		expect(done.shownAt).toBe('All: Waters');
		expect(await totals()).toEqual(sums);
		expect(await total('waters', 'WIDE-SEA')).toBeCloseTo(nor + ske, 4);
		expect(await total('waters', 'SOUND')).toBeCloseTo(amb, 4);
		const after = await show();
		after.values.forEach((value, cell) =>
			before.values[cell] === null ? expect(value).toBeNull() : expect(value).toBeCloseTo(before.values[cell]!, 4)
		);
		// What is typed at the whole goes to where the figure stands.
		await type('Coaches', 'Jun 2027', '4321');
		expect(await saveDraft(tove(), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: 'saved', cells: 1 });
		expect(figure(await show(), 'Coaches', 'Jun 2027')).toBe(4_321);
		await expectJournalHolds(database.pool);
	});

	test('one whose members subtract is refused where figures would go to them: the total would be another', async () => {
		const small = await createModel(
			admin(),
			newModelSchema.parse({
				name: 'Decks',
				reportingCurrency: 'EUR',
				currencies: [],
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
				shared: [],
				fresh: ['Level'],
				entities: false
			})
		);
		const all = await database.pool.query<{ id: number }>(
			"SELECT m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'level' AND m.code = 'ALL'"
		);
		const add = (code: string) => ({ act: 'add' as const, code, name: code, parent: all.rows[0]!.id });
		await editMembers(admin(), small.id, 'level', { edits: [add('UP'), add('BACK')], handOver: {} });
		const back = await database.pool.query<{ id: number }>("SELECT id FROM member WHERE code = 'BACK'");
		await editMembers(admin(), small.id, 'level', {
			edits: [{ act: 'set', member: back.rows[0]!.id, field: 'weight', value: '-1' }],
			handOver: {}
		});
		const by = (to: string) =>
			asked({ dimension: { kind: 'shared', code: 'level' }, by: { kind: 'map', dimension: 'line', lines: [{ from: 'NOR', to }] } });
		await expect(previewDimension(admin(), 1, by('BACK'))).rejects.toThrow('BACK does not simply add to All: Level');
		const seen = await previewDimension(admin(), 1, by('UP'));
		expect(seen.rest).toContain('Skerry Line');
		expect(seen.moreRest).toBe(0);
	});

	test('a package takes it along, and brings a model with it', async () => {
		const { packed, numbers } = await readPackage((await exportPackage(admin(), 1, true)).zip);
		const made = await createFromPackage(admin(), packed, numbers, 'Wider');
		expect((await readModelDefinition(database.pool, made.id))!.dimensions.map(({ name }) => name)).toEqual(
			(await readModelDefinition(database.pool, 1))!.dimensions.map(({ name }) => name)
		);
	});

	test('someone who types and saves at that moment has saved, or is told; what is stored is what the journal says', async () => {
		for (const [round, name] of ['Season', 'Tide', 'Wind'].entries()) {
			await type('Coaches', 'Jul 2027', String(777 + round));
			const [saved, added] = await Promise.allSettled([
				saveDraft(tove(), 1, FORM, NO_DECISIONS),
				addDimension(admin(), 1, asked({ dimension: { kind: 'new', name }, by: { kind: 'one', member: null } }))
			]);
			expect(added.status).toBe('fulfilled');
			if (saved.status === 'rejected') expect(saved.reason).toBeInstanceOf(Fault);
			expect(await saveDraft(tove(), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: saved.status === 'rejected' ? 'saved' : 'nothing' });
			expect(figure(await show(), 'Coaches', 'Jul 2027')).toBe(777 + round);
		}
		await expectJournalHolds(database.pool);
	});
});

describe('a dimension that is taken out', () => {
	const pin = (code: string) =>
		database.pool.query(
			`UPDATE form SET layout = jsonb_set(layout, '{pinned}', (
				SELECT jsonb_agg(CASE WHEN (p ->> 'dimension')::integer = m.dimension_id THEN jsonb_set(p, '{member}', to_jsonb(m.id)) ELSE p END)
				FROM jsonb_array_elements(layout -> 'pinned') p))
			FROM member m JOIN dimension d ON d.id = m.dimension_id AND d.code = 'waters' WHERE m.code = $1 AND form.code = $2`,
			[code, FORM]
		);

	test('is refused with a sentence where something says something about it', async () => {
		await expect(takeOutDimension(tove(), 1, 'waters')).rejects.toMatchObject({ status: 403 });
		await expect(takeOutDimension(admin(), 1, 'nowhere')).rejects.toThrow('has no dimension nowhere');
		await expect(takeOutDimension(admin(), 1, 'account')).rejects.toThrow('a model without accounts is none');
		await expect(previewTakeOut(admin(), 1, 'route')).rejects.toThrow(/laid out by this dimension|reads at members of it/);
		await type('Coaches', 'Aug 2027', '1');
		await expect(takeOutDimension(admin(), 1, 'waters')).rejects.toThrow('Tove Brandal has unsaved entries');
		await undoEntry(tove(), 1, FORM, leaf);
		await database.pool.query(
			"INSERT INTO variable (model_id, name, member_id) SELECT 1, 'Sea', m.id FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.code = 'waters' AND m.code = 'SOUND'"
		);
		// Branches have come along when it was added, and hold figures by it.
		for (const branch of await branchesFor(admin(), 1)) {
			const { all, lines } = await readChanges(admin(), 1, {
				id: branch.id,
				find: '',
				account: null,
				person: null,
				movedOnly: false,
				from: 0
			});
			expect(all).toBe(branch.cells);
			expect(lines.every(({ base, value }) => base !== null && value !== base)).toBe(true);
		}
		await expect(takeOutDimension(admin(), 1, 'waters')).rejects.toThrow('“Dear fuel”, “Second winter vessel” hold changes of figures');
		for (const { id } of await branchesFor(admin(), 1)) await dropBranch(admin(), 1, { id });
		await expect(takeOutDimension(admin(), 1, 'waters')).rejects.toThrow('The variable “Sea” is a member of it');
		await database.pool.query("DELETE FROM variable WHERE name = 'Sea'");
		expect(await returnableDimension(admin(), 1)).toBeNull();
	});

	test('its members’ figures become one: totals stay, 4,321 and 9 beside it are 4,330; put back, all is as it was; taken out again, one goes on', async () => {
		const loaded = await load('90-');
		// A second cell at the same place of all other dimensions.
		await pin('SOUND');
		await type('Coaches', 'Jun 2027', '9');
		await saveDraft(tove(), 1, FORM, NO_DECISIONS);
		await pin('ALL');
		const before = await show();
		expect(figure(before, 'Coaches', 'Jun 2027')).toBe(4_330);
		const place = at(before, 'Coaches', 'Jun 2027');
		const { history } = await inspectFigure(tove(), 1, FORM, leaf, place.row, place.column);
		expect(history.map(({ after }) => after)).toEqual(expect.arrayContaining([9, 4_321]));
		await writeNote(tove(), 1, FORM, {
			place: (await inspectFigure(tove(), 1, FORM, leaf, place.row, place.column)).place,
			text: 'Nine more?'
		});
		const [sums, rows] = [await totals(), await stored()];
		const same = (form: FormAnswer) =>
			form.values.forEach((value, cell) =>
				before.values[cell] === null ? expect(value).toBeNull() : expect(value).toBeCloseTo(before.values[cell]!, 4)
			);
		const noted = async () =>
			(await database.pool.query<{ place: number[] }>("SELECT place FROM note WHERE text = 'Nine more?'")).rows[0]!.place;
		const wide = await noted();

		// What is guarded would be open without it.
		await database.pool.query("INSERT INTO guarded_dimension (model_id, dimension_id) SELECT 1, id FROM dimension WHERE code = 'waters'");
		await expect(previewTakeOut(admin(), 1, 'waters')).rejects.toThrow('Reading is guarded on it');
		await database.pool.query('DELETE FROM guarded_dimension WHERE model_id = 1');
		const preview = await previewTakeOut(admin(), 1, 'waters');
		expect(await stored()).toEqual(rows);
		const done = await takeOutDimension(admin(), 1, 'waters');
		expect(done).toEqual(preview);
		expect(done).toMatchObject({ name: 'Waters', moved: [], emptied: 0 });
		const narrow = await show();
		same(narrow);
		expect(await totals()).toEqual(sums);
		expect(await noted()).toHaveLength(wide.length - 1);
		// One cell now, typed over as one; its history knows both.
		const inspected = await inspectFigure(tove(), 1, FORM, leaf, place.row, place.column);
		expect([inspected.leaf, inspected.value]).toEqual([true, 4_330]);
		expect(inspected.history.map(({ after }) => after)).toEqual(expect.arrayContaining([9, 4_321]));
		await expectJournalHolds(database.pool);
		await expect(startTakeBack(admin(), 1, loaded.batch, false)).rejects.toThrow('A dimension has been taken out');

		expect(await returnableDimension(admin(), 1)).toMatchObject({ name: 'Waters' });
		// What is written beside figures and laid out meanwhile stays.
		await writeNote(tove(), 1, FORM, { place: inspected.place, text: 'Meanwhile.' });
		await database.pool.query("UPDATE form SET layout = layout || '{\"scale\": 1000}' WHERE code = 'net-assets'");
		await putDimensionBack(admin(), 1);
		const changed = (await openForm(tove(), 1, 'net-assets', { members: {} })).form;
		expect(changed.defaults.scale).toBe(1_000);
		const meanwhile = await database.pool.query<{ place: number[] }>("SELECT place FROM note WHERE text = 'Meanwhile.'");
		expect(meanwhile.rows[0]!.place).toEqual(wide);
		expect(await stored()).toEqual(rows);
		expect(shown(await show())).toEqual(shown(before));
		expect(await noted()).toEqual(wide);
		await expectJournalHolds(database.pool);
		await expect(putDimensionBack(admin(), 1)).rejects.toThrow('No dimension has been taken out');
		await startTakeBack(admin(), 1, loaded.batch, false);

		await takeOutDimension(admin(), 1, 'waters');
		await type('Coaches', 'Jun 2027', '5000');
		expect(await saveDraft(tove(), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: 'saved', cells: 1 });
		expect(figure(await show(), 'Coaches', 'Jun 2027')).toBe(5_000);
		expect(await returnableDimension(admin(), 1)).toBeNull();
		await expect(putDimensionBack(admin(), 1)).rejects.toThrow('Something has been written since');
		const later = await load('70-');
		await startTakeBack(admin(), 1, later.batch, false);
		// And once more wider, by the dimension that was taken out: what was written before it went stays as it was.
		expect((await dimensionChoices(admin(), 1)).shared.map(({ code }) => code)).toContain('waters');
		const again = { dimension: { kind: 'shared', code: 'waters' }, by: { kind: 'one', member: 'SOUND' } };
		await expect(addDimension(admin(), 1, asked({ ...again, by: { kind: 'one', member: 'ALL' } }))).rejects.toThrow('has members under it');
		await addDimension(admin(), 1, asked(again));
		expect(figure(await show(), 'Coaches', 'Jun 2027')).toBe(5_000);
		await expectJournalHolds(database.pool);
	});

	test('the engine that followed holds what one opened now reads', async () => {
		await expectFollowed();
	});
});
