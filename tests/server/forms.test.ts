import { readMessages } from '../../src/lib/server/cycle';
import ExcelJS from 'exceljs';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import type { FormLayout } from '../../src/lib/core';
import { closePool } from '../../src/lib/server/database';
import { stopEngines, type FormAnswer } from '../../src/lib/server/engine';
import {
	actOnNote,
	addFile,
	addLink,
	addOwnLine,
	bringNotes,
	copyForm,
	deleteForm,
	discardDraft,
	enterFigures,
	fillByMethod,
	formGrid,
	formVersions,
	formWorkbook,
	inspectFigure,
	lastMethod,
	listForms,
	markedCells,
	membersUnder,
	movedMethods,
	openForm,
	previewForm,
	previewMethod,
	readBeside,
	readDesign,
	readExpression,
	readFile,
	readWorkbook,
	removeLink,
	restoreVersion,
	saveDesign,
	saveDetailLines,
	saveDraft,
	selectedMembers,
	tellPresence,
	undoEntry,
	usesOfForm,
	writeNote
} from '../../src/lib/server/form';
import { linkSchema } from '../../src/lib/server/form/links';
import { readChecks, readDesk } from '../../src/lib/server/desk';
import type { SignedIn } from '../../src/lib/server/session';
import { freshDatabase, peopleOf } from './demo-database';

const NO_DECISIONS = { keepMine: [], takeTheirs: [] };
let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
const ids = new Map<string, { id: number; dimension: number }>();

beforeAll(async () => {
	database = await freshDatabase('forms', { demo: true });
	process.env.DATABASE_URL = database.url;
	people = await peopleOf(database.pool);
	const members = await database.pool.query<{ id: number; code: string; dimension: number }>(
		'SELECT id, code, dimension_id AS dimension FROM member'
	);
	for (const { code, ...member } of members.rows) ids.set(code, member);
});
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const person = (name: string) => people.get(name)!;
const id = (code: string) => ids.get(code)!.id;
/** What is chosen, by member codes. */
const choose = (...codes: string[]) => ({ members: Object.fromEntries(codes.map((code) => [ids.get(code)!.dimension, id(code)])) });
const at = (form: FormAnswer, row: string, column: string) => ({
	row: form.rows.findIndex(({ label }) => label === row),
	column: form.columns.findIndex(({ label }) => label === column)
});
const cell = (form: FormAnswer, row: string, column: string) => {
	const place = at(form, row, column);
	expect(place.row, row).toBeGreaterThanOrEqual(0);
	expect(place.column, column).toBeGreaterThanOrEqual(0);
	return place.row * form.columns.length + place.column;
};
const figure = (form: FormAnswer, row: string, column: string) => form.values[cell(form, row, column)];
const word = (form: FormAnswer, row: string, column: string) => new Map(form.words).get(cell(form, row, column));

/** One leaf of every dimension: Skerrivik – Holmness, fleet care, Skerry Line. */
const LEAF = () => ({ ...choose('R01', 'FC'), currency: 'local' });

describe('a design', () => {
	test('of a new form can be shown at once, is published, and appears among the forms', async () => {
		const maren = person('Maren');
		const desk = await readDesign(maren, 1, null);
		expect(desk.design.layout.version).toBe(2);
		const { form, faults } = await previewForm(maren, 1, { layout: desk.design.layout, choices: { members: {} } });
		expect(faults).toEqual([]);
		expect(form!.rows.length).toBeGreaterThan(10);
		const made = await saveDesign(maren, 1, null, { ...desk.design, name: 'Sailings & fares', folder: 'Own' });
		expect(made).toEqual({ code: 'sailings-fares', version: 1 });
		expect((await listForms(person('Tove'), 1)).map(({ code }) => code)).toContain('sailings-fares');
		expect((await saveDesign(maren, 1, null, { ...desk.design, name: 'Sailings & fares' })).code).toBe('sailings-fares-2');
		await deleteForm(maren, 1, 'sailings-fares-2');
		await expect(openForm(maren, 1, 'sailings-fares-2', { members: {} })).rejects.toThrow('There is no such form');
	});

	test('says what is wrong instead of being published', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'sailings-fares');
		const without = { ...design.layout, selectors: design.layout.selectors.slice(0, -1) };
		const { form, faults } = await previewForm(maren, 1, { layout: without, choices: { members: {} } });
		expect(form).toBeNull();
		expect(faults[0]).toMatch(/is not placed/);
		await expect(saveDesign(maren, 1, 'sailings-fares', { ...design, layout: without })).rejects.toThrow(/is not finished/);
		const empty: FormLayout = {
			...design.layout,
			rows: [{ kind: 'cells', id: 0, parts: [{ dimension: ids.get('OC')!.dimension, selection: { kind: 'these', members: [] } }] }]
		};
		expect((await previewForm(maren, 1, { layout: empty, choices: { members: {} } })).faults).toEqual([
			'No rows: the selection on the rows yields nothing today.'
		]);
	});

	test('has versions in words, compared and restored; a second maker does not run over the first', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'sailings-fares');
		await saveDesign(maren, 1, 'sailings-fares', { ...design, name: 'Sailings', instructions: 'Type **sailings**.' });
		await expect(saveDesign(person('Osric'), 1, 'sailings-fares', { ...design, name: 'Mine' })).rejects.toThrow(/another version/);
		const versions = await formVersions(maren, 1, 'sailings-fares');
		expect(versions.map(({ version }) => version)).toEqual([2, 1]);
		expect(versions[0]).toMatchObject({
			person: 'Maren Kvist',
			added: ['Name: Sailings', 'Instructions: Type **sailings**.'],
			removed: ['Name: Sailings & fares']
		});
		expect((await restoreVersion(maren, 1, 'sailings-fares', 1)).version).toBe(3);
		expect((await readDesign(maren, 1, 'sailings-fares')).design.name).toBe('Sailings & fares');
		expect((await formVersions(maren, 1, 'sailings-fares', 2))[0]!.removed).toEqual(['Name: Sailings', 'Instructions: Type **sailings**.']);
		expect((await copyForm(maren, 1, 'sailings-fares')).code).toBe('sailings-fares-copy');
	});

	test('for some roles is not there for others', async () => {
		const maren = person('Maren');
		const { design, roles } = await readDesign(maren, 1, 'sailings-fares');
		await saveDesign(maren, 1, 'sailings-fares', { ...design, roles: [roles.find(({ name }) => name === 'Reviewer')!.id] });
		expect((await listForms(person('Tove'), 1)).map(({ code }) => code)).not.toContain('sailings-fares');
		await expect(openForm(person('Tove'), 1, 'sailings-fares', { members: {} })).rejects.toThrow('There is no such form');
		expect((await openForm(person('Runa'), 1, 'sailings-fares', { members: {} })).name).toBe('Sailings & fares');
	});

	test('is seen as another person sees it, with their rights and without their draft', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'route-contribution');
		const seen = async (as?: number) =>
			(await previewForm(maren, 1, { layout: design.layout, choices: choose('NOR'), ...(as !== undefined && { as }) })).form!;
		expect((await seen()).marks[0]).toBe('s');
		expect((await seen(person('Tove').id)).marks[0]).not.toBe('s');
	});

	test('is the business of who may design', async () => {
		const { design } = await readDesign(person('Maren'), 1, 'sailings-fares');
		const tove = person('Tove');
		for (const act of [
			() => readDesign(tove, 1, null),
			() => saveDesign(tove, 1, 'sailings-fares', design),
			() => previewForm(tove, 1, { layout: design.layout, choices: { members: {} } }),
			() => selectedMembers(tove, 1, { dimension: ids.get('OC')!.dimension, selection: { kind: 'all' } }),
			() => membersUnder(tove, 1, { dimension: ids.get('OC')!.dimension, of: null }),
			() => formVersions(tove, 1, 'sailings-fares'),
			() => deleteForm(tove, 1, 'sailings-fares'),
			() => usesOfForm(tove, 1, 'sailings-fares')
		])
			await expect(act()).rejects.toMatchObject({ status: 403 });
	});

	test('reads selections live and expressions by today’s names', async () => {
		const maren = person('Maren');
		const { dimension } = ids.get('CARE')!;
		const selected = await selectedMembers(maren, 1, { dimension, selection: { kind: 'leaves', of: id('CARE') } });
		expect(selected.count).toBe(8);
		expect(selected.members[0]).toMatchObject({ name: 'Repairs', parent: false });
		expect((await membersUnder(maren, 1, { dimension, of: null })).members.map(({ code }) => code)).toContain('BS');
		expect((await readExpression(maren, 1, { text: 'Assets - "Debt" * 2' })).text).toBe('Assets - Debt * 2');
		await expect(readExpression(maren, 1, { text: 'Asets + 1' })).rejects.toThrow('Did you mean “Assets”?');
		const blocks = [
			{ id: 0, label: 'Budget' },
			{ id: 4, label: 'Outlook' }
		];
		expect((await readExpression(maren, 1, { text: 'Budget / Outlook', blocks })).expression).toMatchObject({ right: { member: 4 } });
	});

	test('says where it is used', async () => {
		await tellPresence(person('Tove'), 1, 'fleet-care', { members: {}, gone: false });
		const uses = await usesOfForm(person('Maren'), 1, 'fleet-care');
		expect(uses).toMatchObject({ notes: 2, versions: 1, open: ['Tove Brandal'] });
		expect(uses.dimensions).toContain('Route');
	});

	test('of two blocks with a running total, an expression and a heading computes them', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'route-contribution');
		const period = ids.get('FY2028')!.dimension;
		const layout: FormLayout = {
			...design.layout,
			rows: [
				{ kind: 'text', id: 9, label: 'Income and cost' },
				{
					kind: 'cells',
					id: 0,
					heading: 'Income',
					parts: [{ dimension: ids.get('REV')!.dimension, selection: { kind: 'these', members: [id('REV')] } }]
				},
				{
					kind: 'cells',
					id: 1,
					heading: 'Fuel',
					parts: [{ dimension: ids.get('REV')!.dimension, selection: { kind: 'these', members: [id('6010')] } }]
				},
				{
					kind: 'derived',
					id: 2,
					label: 'Fuel in income',
					derivation: {
						how: 'expression',
						percent: true,
						expression: { kind: 'binary', operator: '/', left: { kind: 'account', member: 1 }, right: { kind: 'account', member: 0 } }
					}
				}
			],
			columns: [
				{ kind: 'cells', id: 0, parts: [{ dimension: period, selection: { kind: 'leaves', of: 'chosen' } }] },
				{ kind: 'derived', id: 1, label: 'to date', derivation: { how: 'to date', of: 0, since: 'year' } },
				{ kind: 'cells', id: 2, parts: [{ dimension: period, selection: { kind: 'these', members: ['chosen'] } }] }
			]
		};
		const { form, faults } = await previewForm(maren, 1, { layout, choices: { members: {} } });
		expect(faults).toEqual([]);
		const shown = form!;
		const months = shown.columns.length === 25 ? 12 : 0;
		const value = (row: number, column: number) => shown.values[row * shown.columns.length + column]!;
		expect(value(1, 12 + 2)).toBeCloseTo(value(1, 0) + value(1, 1) + value(1, 2), 4);
		expect(value(1, 23)).toBeCloseTo(value(1, 24), 4);
		expect(value(3, 24)).toBeCloseTo(value(2, 24) / value(1, 24), 10);
		expect(shown.rows[3]).toMatchObject({ valueType: 'percent', kind: 'derived' });
		expect(shown.values[0]).toBeNull();
		expect(months).toBe(12);
	});
	test('of blocks in currencies and at rates of their own shows them side by side', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'route-contribution');
		const period = ids.get('FY2028')!.dimension;
		const { rows: sets } = await database.pool.query<{ id: number; name: string }>('SELECT id, name FROM rate_set ORDER BY id');
		const year = (block: number, reading?: object) => ({
			kind: 'cells' as const,
			id: block,
			heading: `b${block}`,
			parts: [{ dimension: period, selection: { kind: 'these' as const, members: [id('FY2028')] } }],
			...(reading && { reading })
		});
		const rows: FormLayout['rows'] = [
			{
				kind: 'cells',
				id: 0,
				parts: [{ dimension: ids.get('REV')!.dimension, selection: { kind: 'these', members: [id('REV'), id('6010')] } }]
			}
		];
		const look = async (columns: FormLayout['columns'], currency?: string) => {
			const { form, faults } = await previewForm(maren, 1, {
				layout: { ...design.layout, rows, columns, currencies: ['EUR', 'local', 'NOK'] },
				choices: { ...choose('R01', 'SKE'), ...(currency && { currency }) }
			});
			expect(faults).toEqual([]);
			return form!;
		};
		const [eur, nok] = [(await look([year(0)], 'EUR')).values, (await look([year(0)], 'NOK')).values];
		const beside = await look(
			[
				year(0),
				year(1, { currency: 'NOK' }),
				year(2, { rateSet: sets[1]!.id }),
				{ kind: 'derived', id: 3, label: 'Rates', derivation: { how: 'difference', of: 0, base: 2 } }
			],
			'EUR'
		);
		const at = (row: number, column: number) => beside.values[row * 4 + column]!;
		expect([at(0, 0), at(1, 0)]).toEqual(eur);
		expect([at(0, 1), at(1, 1)]).toEqual(nok);
		expect(at(0, 1)).not.toBe(at(0, 0));
		expect(at(0, 3)).toBeCloseTo(at(0, 0) - at(0, 2), 6);
		expect(beside.columns.map(({ group }) => group)).toEqual(['b0', 'b1 · NOK', `b2 · at ${sets[1]!.name}`, '']);
		// Nobody types at other rates than the scenario's own.
		expect(
			beside.marks
				.slice(0, 3)
				.split('')
				.map((mark) => mark === beside.marks[3])
		).toEqual([false, false, true]);
		const gone = await previewForm(maren, 1, {
			layout: { ...design.layout, rows, columns: [year(0, { rateSet: 99_999 })] },
			choices: { members: {} }
		});
		expect(gone.faults).toEqual(['A block on the columns is read at rates that are gone. Choose others.']);
	});
	test('with local beside reporting takes an entry in either, each in its own currency', async () => {
		const maren = person('Maren');
		const { design } = await readDesign(maren, 1, 'fleet-care');
		const column = design.layout.columns.find((block) => block.kind === 'cells')!;
		const { code } = await saveDesign(maren, 1, null, {
			...design,
			name: 'Two currencies',
			code: undefined,
			layout: {
				...design.layout,
				currencies: ['local'],
				columns: [
					{ ...column, id: 0 },
					{ ...column, id: 1, reading: { currency: 'EUR' } }
				]
			}
		} as unknown as Parameters<typeof saveDesign>[3]);
		const open = async () => (await openForm(person('Tove'), 1, code, LEAF())).form;
		const form = await open();
		const row = form.rows.findIndex(({ label }) => label === 'Repairs');
		const half = form.columns.length / 2;
		const enter = (place: number, text: string) =>
			enterFigures(person('Tove'), 1, code, LEAF(), { entries: [{ row, column: place, text }], structure: form.structure });
		const value = (shown: FormAnswer, place: number) => shown.values[row * shown.columns.length + place]!;
		const one = (await enter(0, '1200')).form!;
		expect(value(one, 0)).toBe(1200);
		const rate = 1200 / value(one, half);
		expect(rate).toBeGreaterThan(2);
		const other = (await enter(half, '100')).form!;
		expect(value(other, half)).toBeCloseTo(100, 9);
		expect(value(other, 0)).toBeCloseTo(100 * rate, 6);
		await discardDraft(person('Tove'), 1, code);
	});
});

describe('checks of a form', () => {
	test('hold, fail while one types, and name where', async () => {
		const tove = person('Tove');
		const open = async () => (await openForm(tove, 1, 'net-assets', { members: {}, currency: 'local' })).form;
		const form = await open();
		expect(form.checks.map(({ label, state }) => [label, state])).toEqual([
			['Debt stays below assets', 'holds'],
			['Cash stays above nothing', 'holds']
		]);
		const entered = await enterFigures(
			tove,
			1,
			'net-assets',
			{ members: {}, currency: 'local' },
			{
				entries: [{ ...at(form, 'Cash', 'Jun 2027'), text: '-5' }],
				structure: form.structure
			}
		);
		expect(entered.faults).toEqual([]);
		expect(entered.form.checks[1]).toMatchObject({ state: 'fails', bars: false, where: [{ column: 'Jun 2027', state: 'fails' }] });
		await discardDraft(tove, 1, 'net-assets');
	});
	test('stand on the desk of who keeps the structure', async () => {
		const { forms, more } = await readChecks(person('Maren'), 1);
		expect(more).toBe(0);
		expect(forms.find(({ code }) => code === 'net-assets')).toEqual({ code: 'net-assets', name: 'Net assets', open: [], holding: 2 });
	});
});

describe('choices, dates and texts', () => {
	const SHOWN = { members: {} };
	const type = async (row: string, column: string, text: string) => {
		const { form } = await openForm(person('Tove'), 1, 'dry-docking', SHOWN);
		return enterFigures(person('Tove'), 1, 'dry-docking', SHOWN, {
			entries: [{ ...at(form, row, column), text }],
			structure: form.structure
		});
	};
	test('are typed, shown in words, saved and seen by others', async () => {
		const row = 'Skerrivik – Holmness';
		const yard = await type(row, 'Stands in', 'lis');
		expect(yard.faults).toEqual([]);
		expect(word(yard.form, row, 'Stands in')).toBe('Listra – Vellen');
		expect(Object.values(yard.form.choices)[0]?.map(({ name }) => name)).toContain('Tarrowick – Uldsound');
		await type(row, 'Enters the dock', '2027-11-03');
		await type(row, 'What is done', 'Hull coating');
		await type(row, 'Price a day', '12500');
		expect((await saveDraft(person('Tove'), 1, 'dry-docking', NO_DECISIONS)).kind).toBe('saved');
		const { form } = await openForm(person('Osric'), 1, 'dry-docking', SHOWN);
		expect(word(form, row, 'Stands in')).toBe('Listra – Vellen');
		expect(word(form, row, 'What is done')).toBe('Hull coating');
		expect(figure(form, row, 'Enters the dock')).toBe(Date.UTC(2027, 10, 3) / 86_400_000);
		expect(figure(form, row, 'Price a day')).toBeCloseTo(12_500, 6);
	});
	test('that are none are refused with what would be one', async () => {
		const row = 'Tarrowick – Uldsound';
		expect((await type(row, 'Stands in', 'Rotterdam')).faults[0]!.message).toMatch(/not among the choices/);
		expect((await type(row, 'Enters the dock', '3.11.')).faults[0]!.message).toMatch(/is not a date/);
		expect((await type(row, 'Days in dock', '1e400')).faults[0]!.message).toMatch(/is not a number/);
		expect((await type(row, 'What is done', 'x'.repeat(501))).faults[0]!.message).toMatch(/at most 500/);
	});
});

describe('an entry', () => {
	const FORM = 'fleet-care';
	const open = async (name: string) => (await openForm(person(name), 1, FORM, { members: {}, currency: 'local' })).form;
	const type = async (entries: { row: string; column: string; text: string }[], more: object = {}) => {
		const form = await open('Tove');
		return enterFigures(
			person('Tove'),
			1,
			FORM,
			{ members: {}, currency: 'local' },
			{
				entries: entries.map(({ row, column, text }) => ({ ...at(form, row, column), text })),
				structure: form.structure,
				...more
			}
		);
	};
	test('over a total and its own cells counts once', async () => {
		const before = await open('Tove');
		const rows = ['Fleet care', 'Repairs', 'Spare parts'];
		const { form, warnings } = await type(rows.map((row) => ({ row, column: 'May 2027', text: '*= 2' })));
		expect(warnings.join(' ')).toMatch(/add up by themselves/);
		expect(figure(form, 'Repairs', 'May 2027')).toBeCloseTo(figure(before, 'Repairs', 'May 2027')! * 2, 0);
		const added = figure(before, 'Repairs', 'May 2027')! + figure(before, 'Spare parts', 'May 2027')!;
		expect(figure(form, 'Fleet care', 'May 2027')).toBeCloseTo(figure(before, 'Fleet care', 'May 2027')! + added, 0);
		await discardDraft(person('Tove'), 1, FORM);
	});
	test('leaves cells that are kept fixed as they are', async () => {
		const before = await open('Tove');
		const kept = [at(before, 'Repairs', 'May 2027')];
		const { form } = await type([{ row: 'Fleet care', column: 'May 2027', text: '*= 1.5' }], { kept });
		expect(figure(form, 'Repairs', 'May 2027')).toBe(figure(before, 'Repairs', 'May 2027'));
		expect(figure(form, 'Fleet care', 'May 2027')).toBeCloseTo(figure(before, 'Fleet care', 'May 2027')! * 1.5, 0);
		expect(figure(form, 'Lubricants', 'May 2027')! / figure(before, 'Lubricants', 'May 2027')!).toBeGreaterThan(1.5);
		await discardDraft(person('Tove'), 1, FORM);
	});
	test('is spread evenly, or like the same figure of another year', async () => {
		const even = await type([{ row: 'Repairs', column: 'FY2028', text: '12000' }], { method: 'evenly' });
		expect(figure(even.form, 'Repairs', 'Apr 2027')).toBeCloseTo(1_000, 6);
		await undoEntry(person('Tove'), 1, FORM, { members: {}, currency: 'local' });
		const like = await type([{ row: 'Repairs', column: 'FY2028', text: '12000' }], {
			method: 'like another',
			like: { [ids.get('FY2027')!.dimension]: id('FY2027'), [ids.get('OUT27')!.dimension]: id('OUT27') }
		});
		expect(like.faults).toEqual([]);
		expect(figure(like.form, 'Repairs', 'FY2028')).toBeCloseTo(12_000, 6);
		expect(figure(like.form, 'Repairs', 'Apr 2027')).not.toBeCloseTo(1_000, 1);
		await discardDraft(person('Tove'), 1, FORM);
	});
	test('counts in thousands where the form is shown so', async () => {
		const { form } = await type([{ row: 'Repairs', column: 'May 2027', text: '70' }], { scale: 1_000 });
		expect(figure(form, 'Repairs', 'May 2027')).toBeCloseTo(70_000, 6);
		await discardDraft(person('Tove'), 1, FORM);
	});
	test('into what the form only shows is refused by name', async () => {
		const { faults } = await type([{ row: 'Repairs', column: 'Outlook FY2027', text: '1' }]);
		expect(faults[0]!.message).toBe('The form only shows Outlook FY2027; nobody types here.');
	});
});

describe('beside a figure', () => {
	const FORM = 'fleet-care';
	const SHOWN = LEAF;
	const placeOf = async (row: string, column: string) => {
		const { form } = await openForm(person('Tove'), 1, FORM, SHOWN());
		return (await inspectFigure(person('Tove'), 1, FORM, SHOWN(), at(form, row, column).row, at(form, row, column).column)).place;
	};
	test('notes are written, answered, resolved, and tell who is named', async () => {
		const place = await placeOf('Repairs', 'Aug 2027');
		const written = await writeNote(person('Tove'), 1, FORM, { place, text: 'Propeller? @Osric Hale' });
		const thread = written.threads[0]!;
		expect(thread).toMatchObject({ person: 'Tove Brandal', mine: true, resolved: null });
		expect((await readDesk(person('Osric'), 1)).mentions).toMatchObject([
			{ person: 'Tove Brandal', form: FORM, text: 'Propeller? @Osric Hale' }
		]);
		expect((await readMessages(person('Osric'), 1))[0]).toMatchObject({
			kind: 'mention',
			subject: 'Tove Brandal wrote to you on Fleet care',
			body: 'Propeller? @Osric Hale',
			path: `/forms/${FORM}?note=${place.join('.')}`
		});
		const answered = await writeNote(person('Osric'), 1, FORM, { place, text: 'Yes.', thread: thread.id });
		expect(answered.threads[0]!.answers[0]).toMatchObject({ person: 'Osric Hale', text: 'Yes.' });
		expect((await readDesk(person('Osric'), 1)).mentions).toEqual([]);
		// How the model stands is for who keeps it.
		expect((await readDesk(person('Osric'), 1)).standing).toBeNull();
		// How checks stand is for who keeps the structure.
		await expect(readChecks(person('Osric'), 1)).rejects.toMatchObject({ status: 403 });
		const { standing } = await readDesk(person('Maren'), 1);
		expect(standing!.loads.map(({ name }) => name)).toContain('Ledger, monthly');
		expect(standing!.loads.find(({ name }) => name === 'Ledger, monthly')).toMatchObject({ at: null, state: null });
		expect((await actOnNote(person('Osric'), 1, { place, note: thread.id, act: 'resolve' })).threads[0]!.resolved?.person).toBe(
			'Osric Hale'
		);
		await expect(actOnNote(person('Osric'), 1, { place, note: thread.id, act: 'delete' })).rejects.toThrow(/note of yours/);
		expect((await writeNote(person('Tove'), 1, FORM, { place, text: 'Again.', thread: thread.id })).threads[0]!.resolved).toBeNull();
		const marks = await markedCells(person('Tove'), 1, FORM, SHOWN());
		const { form } = await openForm(person('Tove'), 1, FORM, SHOWN());
		expect(marks.map((mark) => mark.cell)).toEqual([cell(form, 'Repairs', 'Aug 2027')]);
		await expect(writeNote(person('Tove'), 1, FORM, { place: [1, 2, 3], text: 'x' })).rejects.toThrow('There is no such figure');
	});
	test('detail lines become the cell’s figure at once, for everybody', async () => {
		const { form } = await openForm(person('Tove'), 1, FORM, SHOWN());
		const where = at(form, 'Spare parts', 'Sep 2027');
		await enterFigures(person('Tove'), 1, FORM, SHOWN(), { entries: [{ ...where, text: '1' }], structure: form.structure });
		const saved = await saveDetailLines(person('Tove'), 1, FORM, SHOWN(), {
			...where,
			structure: form.structure,
			lines: [
				{ label: 'Seals', amount: 120, factor: 4 },
				{ label: 'Shaft', amount: 900, factor: 1.5 }
			]
		});
		expect(saved.revision).toBeGreaterThan(0);
		const osric = (await openForm(person('Osric'), 1, FORM, SHOWN())).form;
		expect(figure(osric, 'Spare parts', 'Sep 2027')).toBe(1_830);
		// What had been typed there is settled by the lines.
		expect((await openForm(person('Tove'), 1, FORM, SHOWN())).form.draftSize).toBe(0);
		const place = await placeOf('Spare parts', 'Sep 2027');
		expect((await readBeside(person('Osric'), 1, place)).lines).toHaveLength(2);
		await expect(
			saveDetailLines(person('Imke'), 1, FORM, SHOWN(), {
				...where,
				structure: form.structure,
				lines: [{ label: '', amount: 1, factor: 1 }]
			})
		).rejects.toThrow();
		await expect(
			saveDetailLines(
				person('Tove'),
				1,
				FORM,
				{ members: {} },
				{ ...where, structure: form.structure, lines: [{ label: '', amount: 1, factor: 1 }] }
			)
		).rejects.toThrow(/single cells/);
	});
	test('detail lines do not write over what another person typed since, unless one says so', async () => {
		const { form } = await openForm(person('Tove'), 1, FORM, SHOWN());
		const where = at(form, 'Spare parts', 'Oct 2027');
		const place = await placeOf('Spare parts', 'Oct 2027');
		const lines = (amount: number, seen?: number) =>
			saveDetailLines(person('Tove'), 1, FORM, SHOWN(), {
				...where,
				structure: form.structure,
				frame: form.frame,
				...(seen !== undefined && { seen }),
				lines: [{ label: 'Seals', amount, factor: 1 }]
			});
		const { revision } = await lines(100, form.revision);
		expect((await readBeside(person('Tove'), 1, place)).typed).toMatchObject({ value: 100, person: 'Tove Brandal', revision });
		await enterFigures(person('Osric'), 1, FORM, SHOWN(), { entries: [{ ...where, text: '120' }], structure: form.structure });
		await saveDraft(person('Osric'), 1, FORM, NO_DECISIONS);
		const { typed } = await readBeside(person('Tove'), 1, place);
		expect(typed).toMatchObject({ value: 120, person: 'Osric Hale' });
		await expect(lines(150, revision!)).rejects.toMatchObject({
			status: 409,
			code: 'typed meanwhile',
			message: expect.stringContaining('Osric Hale has typed 120 here'),
			details: { seen: typed!.revision }
		});
		expect((await readBeside(person('Tove'), 1, place)).lines).toMatchObject([{ amount: 100 }]);
		await lines(150, typed!.revision);
		expect(figure((await openForm(person('Osric'), 1, FORM, SHOWN())).form, 'Spare parts', 'Oct 2027')).toBe(150);
	});
	test('an entry beneath which something moved is marked in words, also where nothing stood when it was typed', async () => {
		const tove = person('Tove');
		const { form } = await openForm(tove, 1, 'fleet-care', SHOWN());
		await enterFigures(tove, 1, 'fleet-care', SHOWN(), {
			entries: [{ ...at(form, 'Hull coating', 'Apr 2027'), text: '4711' }],
			structure: form.structure
		});
		await saveDraft(tove, 1, 'fleet-care', NO_DECISIONS);
		const marks = async () =>
			new Map(
				(await markedCells(tove, 1, 'fleet-care', SHOWN())).flatMap(({ cell: where, moved }) => (moved ? [[where, moved] as const] : []))
			);
		const where = cell(form, 'Hull coating', 'Apr 2027');
		expect((await marks()).has(where)).toBe(false);
		// As if nothing had stood there, and the load had come afterwards; then as if another figure had stood there.
		const say = (beneath: string) =>
			database.pool.query(
				`UPDATE entry_change SET beneath = '${beneath}' WHERE revision = (SELECT max(revision) FROM entry_change WHERE model_id = 1)`
			);
		await say('NaN');
		expect((await marks()).get(where)).toMatch(/^4,711 was typed where nothing stood; [\d,.]+ was loaded or computed there since$/);
		await say('1');
		expect((await marks()).get(where)).toMatch(/^4,711 was typed over 1, which is [\d,.]+ now$/);
	});
	test('links and files are kept within limits and handed back', async () => {
		const place = await placeOf('Repairs', 'Oct 2027');
		expect(linkSchema.safeParse({ place, title: '', address: 'javascript:alert(1)' }).success).toBe(false);
		const linked = await addLink(person('Tove'), 1, { place, title: 'Offer', address: 'https://yard.example/offer' });
		expect(linked.links).toMatchObject([{ title: 'Offer', href: 'https://yard.example/offer', isFile: false }]);
		await expect(addFile(person('Tove'), 1, place, 'run.exe', Buffer.from('MZ'))).rejects.toThrow(/are not kept here/);
		await expect(addFile(person('Tove'), 1, place, 'big.pdf', Buffer.alloc(6 * 1024 * 1024))).rejects.toThrow(/larger than 5 MB/);
		const kept = await addFile(person('Tove'), 1, place, 'offer.pdf', Buffer.from('%PDF-1.4'));
		const file = kept.links.find(({ isFile }) => isFile)!;
		expect(await readFile(person('Osric'), 1, file.id, place)).toMatchObject({ name: 'offer.pdf', type: 'application/pdf' });
		// By a number that was guessed nothing opens, and nothing of another place is acted on.
		const elsewhere = await placeOf('Repairs', 'Nov 2027');
		await expect(readFile(person('Osric'), 1, file.id, elsewhere)).rejects.toMatchObject({ status: 404 });
		await expect(removeLink(person('Tove'), 1, { place: elsewhere, link: file.id })).rejects.toThrow(/link of yours/);
		const { threads } = await writeNote(person('Tove'), 1, FORM, { place, text: 'Which yard?' });
		for (const act of ['resolve', 'delete'] as const)
			await expect(actOnNote(person('Tove'), 1, { place: elsewhere, note: threads.at(-1)!.id, act })).rejects.toThrow(/note of yours/);
		await actOnNote(person('Tove'), 1, { place, note: threads.at(-1)!.id, act: 'delete' });
		await expect(removeLink(person('Osric'), 1, { place, link: file.id })).rejects.toThrow(/link of yours/);
		expect((await removeLink(person('Tove'), 1, { place, link: file.id })).links).toHaveLength(1);
	});
	test('last year’s notes are brought over once', async () => {
		const tove = person('Tove');
		const shown = choose('BUD28', 'FY2028');
		expect((await bringNotes(tove, 1, 'route-contribution', shown)).notes).toBe(1);
		expect((await bringNotes(tove, 1, 'route-contribution', shown)).notes).toBe(0);
		const marks = await markedCells(tove, 1, 'route-contribution', shown);
		const { form } = await openForm(tove, 1, 'route-contribution', shown);
		expect(marks.map((mark) => mark.cell)).toContain(cell(form, 'Ticket revenue', 'Jul 2027'));
	});
});

test('who is on the form is told to the others, until they leave', async () => {
	await tellPresence(person('Tove'), 1, 'net-assets', { members: { '1': 5 }, gone: false });
	expect(await tellPresence(person('Imke'), 1, 'net-assets', { members: {}, gone: false })).toEqual([
		{ person: 'Tove Brandal', members: { '1': 5 } }
	]);
	await tellPresence(person('Tove'), 1, 'net-assets', { members: {}, gone: true });
	expect(await tellPresence(person('Imke'), 1, 'net-assets', { members: {}, gone: false })).toEqual([]);
});

describe('a line of one’s own', () => {
	test('is added under the form’s place by a planner, typed into, and stays under their name', async () => {
		const tove = person('Tove');
		const added = await addOwnLine(tove, 1, 'fleet-care', { members: {} }, { name: 'Bow thruster' });
		expect(added.name).toBe('Bow thruster');
		const { form } = await openForm(tove, 1, 'fleet-care', LEAF());
		const entered = await enterFigures(tove, 1, 'fleet-care', LEAF(), {
			entries: [{ ...at(form, 'Bow thruster', 'Jun 2027'), text: '4200' }],
			structure: form.structure
		});
		expect(entered.faults).toEqual([]);
		expect(figure(entered.form, 'Bow thruster', 'FY2028')).toBe(4_200);
		await discardDraft(tove, 1, 'fleet-care');
		const history = await database.pool.query(
			"SELECT p.name FROM structure_change c JOIN person p ON p.id = c.person_id WHERE c.words LIKE '%Bow thruster%'"
		);
		expect(history.rows).toEqual([{ name: 'Tove Brandal' }]);
		await expect(addOwnLine(tove, 1, 'fleet-care', { members: {} }, { name: 'bow thruster' })).rejects.toThrow(/already/);
		await expect(addOwnLine(tove, 1, 'net-assets', { members: {} }, { name: 'Mine' })).rejects.toThrow(/no lines of one’s own/);
	});
});

describe('a method', () => {
	const growth = (percent: number) => ({ kind: 'growth on last year' as const, percent, adjustPercent: 0, adjustAmount: 0 });
	test('reads last year where the scenario continues from, fills the draft and is remembered', async () => {
		const tove = person('Tove');
		const { form } = await openForm(tove, 1, 'fleet-care', { members: {}, currency: 'local' });
		const row = at(form, 'Repairs', 'FY2028').row;
		const shown = { members: {}, currency: 'local' };
		const preview = await previewMethod(tove, 1, 'fleet-care', shown, { row, structure: form.structure, method: growth(0.1) });
		expect(preview.columns).toHaveLength(12);
		const outlook = figure(form, 'Repairs', 'Outlook FY2027')!;
		expect(preview.columns.reduce((sum, { value }) => sum + value!, 0)).toBeCloseTo(outlook * 1.1, 0);
		const filled = await fillByMethod(tove, 1, 'fleet-care', shown, { row, structure: form.structure, method: growth(0.1) });
		expect(figure(filled.form, 'Repairs', 'FY2028')).toBeCloseTo(outlook * 1.1, 0);
		expect(await lastMethod(tove, 1, 'fleet-care', shown, { row })).toMatchObject({ person: 'Tove Brandal', method: { percent: 0.1 } });
		const driver = await previewMethod(tove, 1, 'fleet-care', shown, {
			row,
			structure: form.structure,
			method: { kind: 'driver and rate', driver: id('S10'), rate: 10, adjustPercent: 0, adjustAmount: 5 }
		});
		expect(driver.columns[0]!.value).toBeGreaterThan(5);
		// The driver's rate of last year and what is put on top of a quarter; then last year moves, and the row says so.
		const byRate = await previewMethod(tove, 1, 'fleet-care', shown, {
			row,
			structure: form.structure,
			method: {
				kind: 'driver at last year’s rate',
				driver: id('S10'),
				percent: 0,
				adjustPercent: 0,
				adjustAmount: 0,
				adjustments: { per: 'quarter', amounts: [300] }
			}
		});
		expect(byRate.quarters).toHaveLength(4);
		expect(byRate.columns.map(({ quarter }) => quarter)).toEqual([0, 0, 0, 1, 1, 1, 2, 2, 2, 3, 3, 3]);
		expect(byRate.columns.reduce((sum, { value }) => sum + value!, 0)).toBeGreaterThan(300);
		expect((await movedMethods(tove, 1, 'fleet-care', shown)).rows).toEqual([]);
		// As if last year had been less when the row was filled: what shows is what the method gave, and it gives more now.
		const was = 'SELECT jsonb_object_agg(key, value::text::float8 / 1.1) FROM jsonb_each(filled -> $1::text)';
		expect((await database.pool.query(`UPDATE row_method SET filled = jsonb_set(filled, '{values}', (${was}))`, ['values'])).rowCount).toBe(
			1
		);
		// Not what shows: somebody else's draft, say. Then nothing is to be filled.
		expect((await movedMethods(tove, 1, 'fleet-care', shown)).rows).toEqual([]);
		await database.pool.query("UPDATE row_method SET method = jsonb_set(method, '{percent}', '0.21')");
		await fillByMethod(tove, 1, 'fleet-care', shown, { row, structure: form.structure, method: growth(0.1) });
		await database.pool.query("UPDATE row_method SET method = jsonb_set(method, '{percent}', '0.21')");
		expect((await movedMethods(tove, 1, 'fleet-care', shown)).rows).toMatchObject([
			{ row, label: 'Repairs', person: 'Tove Brandal', wholly: true, method: { kind: 'growth on last year', percent: 0.21 } }
		]);
		// Its rates and amounts are in the currency it was filled in: in another one they mean something else.
		expect((await movedMethods(tove, 1, 'fleet-care', { members: {}, currency: 'EUR' })).rows).toEqual([]);
		expect(await lastMethod(tove, 1, 'fleet-care', shown, { row })).toMatchObject({ currency: 'local' });
		// One month typed over: it is said, and left alone unless asked.
		await enterFigures(tove, 1, 'fleet-care', shown, {
			entries: [{ row, column: preview.columns[0]!.column, text: '77' }],
			structure: form.structure
		});
		expect((await movedMethods(tove, 1, 'fleet-care', shown)).rows).toMatchObject([{ row, wholly: false }]);
		await fillByMethod(tove, 1, 'fleet-care', shown, { row, structure: form.structure, method: growth(0.1) });
		expect((await movedMethods(tove, 1, 'fleet-care', shown)).rows).toEqual([]);
		await discardDraft(tove, 1, 'fleet-care');
		await expect(
			previewMethod(tove, 1, 'net-assets', { members: {} }, { row: 0, structure: form.structure, method: growth(0) })
		).rejects.toThrow(/typed, not filled/);
	});
});

describe('a workbook', () => {
	const SHOWN = LEAF;
	const edit = async (bytes: Buffer, change: (sheet: ExcelJS.Worksheet) => void): Promise<Buffer> => {
		const workbook = new ExcelJS.Workbook();
		await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
		change(workbook.worksheets[0]!);
		return Buffer.from(await workbook.xlsx.writeBuffer());
	};
	test('goes out marked, comes back with what changed, what others changed and what is refused', async () => {
		const tove = person('Tove');
		const { name, bytes } = await formWorkbook(tove, 1, 'fleet-care', SHOWN());
		expect(name).toBe('Fleet care');
		const { form } = await openForm(tove, 1, 'fleet-care', SHOWN());
		const rowOf = (label: string) => form.rows.findIndex((line) => line.label === label) + 7;
		const columnOf = (label: string) => form.columns.findIndex((column) => column.label === label) + 2;
		expect((await readWorkbook(tove, 1, 'fleet-care', bytes)).changes).toEqual([]);
		const edited = await edit(bytes, (sheet) => {
			expect(sheet.getCell(6, columnOf('Apr 2027')).value).toBe('Apr 2027');
			expect(sheet.getCell(rowOf('Repairs'), columnOf('Apr 2027')).protection).toMatchObject({ locked: false });
			sheet.getCell(rowOf('Repairs'), columnOf('Apr 2027')).value = 777;
			sheet.getCell(rowOf('Repairs'), columnOf('May 2027')).value = { formula: '2*3', result: 6 } as ExcelJS.CellFormulaValue;
			sheet.getCell(rowOf('Lubricants'), columnOf('Apr 2027')).value = 5;
			sheet.getCell(rowOf('Repairs'), columnOf('Outlook FY2027')).value = 1;
		});
		// Somebody saves one of the cells meanwhile.
		await enterFigures(tove, 1, 'fleet-care', SHOWN(), {
			entries: [{ ...at(form, 'Lubricants', 'Apr 2027'), text: '99' }],
			structure: form.structure
		});
		await saveDraft(tove, 1, 'fleet-care', NO_DECISIONS);
		const reading = await readWorkbook(tove, 1, 'fleet-care', edited);
		expect(reading.changes.map(({ words, text }) => `${words}: ${text}`)).toEqual(['Repairs, Apr 2027: 777', 'Repairs, May 2027: 6']);
		expect(reading.conflicts).toMatchObject([{ words: 'Lubricants, Apr 2027', now: '99', text: '5' }]);
		expect(reading.refused).toMatchObject([{ words: 'Repairs, Outlook FY2027' }]);
	});
	describe('is found by names and keys, wherever its lines stand', () => {
		const loaded = async (bytes: Buffer) => {
			const workbook = new ExcelJS.Workbook();
			await workbook.xlsx.load(bytes as unknown as ArrayBuffer);
			return { workbook, sheet: workbook.worksheets[0]! };
		};
		const written = async (workbook: ExcelJS.Workbook) => Buffer.from(await workbook.xlsx.writeBuffer());
		/** The row of a name, and the column of a heading. */
		const rowNamed = (sheet: ExcelJS.Worksheet, name: string): number => {
			let found = 0;
			sheet.eachRow((line, row) => {
				line.eachCell((cell) => {
					if (cell.text.trim() === name && found === 0) found = row;
				});
			});
			return found;
		};
		const columnNamed = (sheet: ExcelJS.Worksheet, name: string): number => {
			let found = 0;
			sheet.getRow(6).eachCell((cell, column) => {
				if (cell.text === name) found = column;
			});
			return found;
		};
		const fresh = async () => loaded((await formWorkbook(person('Tove'), 1, 'fleet-care', SHOWN())).bytes);
		const read = async (workbook: ExcelJS.Workbook) => readWorkbook(person('Tove'), 1, 'fleet-care', await written(workbook));
		const words = (changes: { words: string; text: string }[]) => changes.map(({ words: of, text }) => `${of}: ${text}`);

		test('behind a cover sheet, with rows swapped and a column put in, nothing is different', async () => {
			const { workbook, sheet } = await fresh();
			const [first, second] = [rowNamed(sheet, 'Repairs'), rowNamed(sheet, 'Lubricants')];
			const [one, other] = [first, second].map((row) => (sheet.getRow(row).values as ExcelJS.CellValue[]).slice());
			sheet.getRow(first).values = other!;
			sheet.getRow(second).values = one!;
			sheet.spliceColumns(2, 0, []);
			const cover = workbook.addWorksheet('Cover');
			cover.addRow(['Ours']);
			workbook.worksheets.forEach((each) => ((each as unknown as { orderNo: number }).orderNo = each.name === 'Cover' ? 0 : each.id + 1));
			const reading = await read(workbook);
			expect([reading.changes, reading.refused, reading.conflicts, reading.remarks]).toEqual([[], [], [], []]);
			sheet.getCell(rowNamed(sheet, 'Repairs'), columnNamed(sheet, 'Jun 2027')).value = 778;
			expect(words((await read(workbook)).changes)).toEqual(['Repairs, Jun 2027: 778']);
		});
		test('rows that are gone or strange are said, one that is twice is refused', async () => {
			const { workbook, sheet } = await fresh();
			sheet.spliceRows(rowNamed(sheet, 'Lubricants'), 1);
			sheet.addRow(['Ours alone', 1, 2]);
			const reading = await read(workbook);
			expect([reading.changes, reading.refused]).toEqual([[], []]);
			expect(reading.remarks).toEqual([
				'One row of the form is not in the workbook any more; nothing changes there.',
				'One row of the workbook, filled in below the headings, is no row of the form and was not read.'
			]);
			sheet.addRow((sheet.getRow(rowNamed(sheet, 'Repairs')).values as ExcelJS.CellValue[]).slice(1));
			await expect(read(workbook)).rejects.toThrow('The row “Repairs” is twice in this workbook.');
		});
		test('without its sheet or its keys it is refused', async () => {
			const renamed = await fresh();
			renamed.sheet.name = 'Mine';
			await expect(read(renamed.workbook)).rejects.toThrow('The sheet “Fleet care” is missing in this workbook.');
			const bare = await fresh();
			bare.sheet.spliceRows(4, 1);
			await expect(read(bare.workbook)).rejects.toThrow(/hidden keys .* are gone/);
		});
		test('a formula without a result is refused, and so is an error; neither is empty', async () => {
			const { workbook, sheet } = await fresh();
			const row = rowNamed(sheet, 'Repairs');
			sheet.getCell(row, columnNamed(sheet, 'Jul 2027')).value = { formula: 'B1*2' } as ExcelJS.CellFormulaValue;
			sheet.getCell(row, columnNamed(sheet, 'Aug 2027')).value = {
				formula: 'B1/0',
				result: { error: '#DIV/0!' }
			} as ExcelJS.CellFormulaValue;
			const { changes, refused } = await read(workbook);
			expect(changes).toEqual([]);
			expect(refused.map(({ words: of, text, reason }) => `${of}: ${text}. ${reason}`)).toEqual([
				'Repairs, Jul 2027: =B1*2. It holds a formula without a result. Open the workbook where it was made, let it calculate, and save it.',
				'Repairs, Aug 2027: =B1/0. Its formula gives the error #DIV/0!.'
			]);
		});
		test('what an emptied cell will show is said before', async () => {
			const tove = person('Tove');
			const { form } = await openForm(tove, 1, 'fleet-care', SHOWN());
			const load = figure(form, 'Spare parts', 'Apr 2027')!;
			await enterFigures(tove, 1, 'fleet-care', SHOWN(), {
				entries: [{ ...at(form, 'Spare parts', 'Apr 2027'), text: '4711' }],
				structure: form.structure
			});
			await saveDraft(tove, 1, 'fleet-care', NO_DECISIONS);
			const { workbook, sheet } = await fresh();
			sheet.getCell(rowNamed(sheet, 'Spare parts'), columnNamed(sheet, 'Apr 2027')).value = null;
			sheet.getCell(rowNamed(sheet, 'Spare parts'), columnNamed(sheet, 'May 2027')).value = null;
			const { changes, refused } = await read(workbook);
			expect(changes).toMatchObject([
				{ words: 'Spare parts, Apr 2027', text: '', effect: `Shows ${Math.round(load * 100) / 100} again, which was loaded or computed.` }
			]);
			expect(refused).toMatchObject([{ words: 'Spare parts, May 2027', reason: expect.stringMatching(/was loaded, not typed/) }]);
		});
		test('what cannot be entered is refused before anything is taken', async () => {
			const { workbook, sheet } = await fresh();
			sheet.getCell(rowNamed(sheet, 'Spare parts'), columnNamed(sheet, 'Jun 2027')).value = 'about ten';
			sheet.getCell(rowNamed(sheet, 'Spare parts'), columnNamed(sheet, 'Jul 2027')).value = 1234.5;
			const { changes, refused } = await read(workbook);
			expect(changes).toMatchObject([{ words: 'Spare parts, Jul 2027', text: '1234.5' }]);
			expect(refused).toMatchObject([{ words: 'Spare parts, Jun 2027', text: 'about ten', reason: expect.stringContaining('about ten') }]);
		});
		test('stays good while rates, variables and other models change; so does what was typed', async () => {
			const { workbook, sheet } = await fresh();
			const { form } = await openForm(person('Tove'), 1, 'fleet-care', SHOWN());
			await database.pool.query('UPDATE model SET structure_version = structure_version + 1 WHERE id = 1');
			sheet.getCell(rowNamed(sheet, 'Repairs'), columnNamed(sheet, 'Sep 2027')).value = 779;
			const reading = await read(workbook);
			expect(words(reading.changes)).toEqual(['Repairs, Sep 2027: 779']);
			const entered = await enterFigures(person('Tove'), 1, 'fleet-care', SHOWN(), {
				entries: [{ ...at(form, 'Repairs', 'Sep 2027'), text: '779' }],
				structure: form.structure,
				frame: form.frame
			});
			expect(entered.faults).toEqual([]);
			await expect(
				enterFigures(person('Tove'), 1, 'fleet-care', SHOWN(), {
					entries: [{ ...at(form, 'Repairs', 'Sep 2027'), text: '780' }],
					structure: form.structure,
					frame: 'another'
				})
			).rejects.toThrow(/lines of this form have changed/);
			await discardDraft(person('Tove'), 1, 'fleet-care');
		});
	});
	test('of another form, or none, is refused with a sentence', async () => {
		const { bytes } = await formWorkbook(person('Tove'), 1, 'dry-docking', { members: {} });
		await expect(readWorkbook(person('Tove'), 1, 'fleet-care', bytes)).rejects.toThrow(/belongs to another form/);
		await expect(readWorkbook(person('Tove'), 1, 'fleet-care', Buffer.from('PK nonsense'))).rejects.toThrow(/cannot be read as a workbook/);
		const bare = new ExcelJS.Workbook();
		bare.addWorksheet('x').addRow([1]);
		await expect(readWorkbook(person('Tove'), 1, 'fleet-care', Buffer.from(await bare.xlsx.writeBuffer()))).rejects.toThrow(
			/not a workbook of this form/
		);
		await expect(readWorkbook(person('Vera'), 1, 'fleet-care', bytes)).rejects.toMatchObject({ status: 403 });
	});
	test('as CSV has names, codes and guarded texts', async () => {
		const { grid } = await formGrid(person('Tove'), 1, 'dry-docking', { members: {} });
		expect(grid[0]).toEqual(['Row', 'Code', 'Stands in', 'Enters the dock', 'Days in dock', 'Price a day', 'Hull renewed', 'What is done']);
		expect(grid.find(([name]) => name === 'Skerrivik – Holmness')).toContain('Listra – Vellen');
	});
});

test('rows of a large form come as they are asked for', async () => {
	const tove = person('Tove');
	const whole = (await openForm(tove, 1, 'route-contribution', { members: {} })).form;
	const part = (await openForm(tove, 1, 'route-contribution', { members: {} }, { frame: whole.frame, rows: [4, 2] })).form;
	expect(part.rows).toEqual([]);
	expect(part.part).toEqual([4, 2]);
	const width = whole.columns.length;
	expect(part.values.slice(0, width)).toEqual(whole.values.slice(4 * width, 5 * width));
	expect(part.values.slice(width)).toEqual(whole.values.slice(2 * width, 3 * width));
	expect(part.marks).toBe(whole.marks.slice(4 * width, 5 * width) + whole.marks.slice(2 * width, 3 * width));
});
