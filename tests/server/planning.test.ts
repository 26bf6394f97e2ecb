import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { closePool } from '../../src/lib/server/database';
import { stopEngines, type FormAnswer } from '../../src/lib/server/engine';
import {
	bringBackDraft,
	discardDraft,
	enterFigures,
	inspectFigure,
	openForm,
	redoEntry,
	saveDraft,
	takeBackSave,
	undoEntry
} from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import { readFormulas, setFormulas, type FormulaDraft } from '../../src/lib/server/structure';
import { freshDatabase, peopleOf } from './demo-database';
import { putLock } from './locked';

const FORM = 'route-contribution';
const NO_DECISIONS = { keepMine: [], takeTheirs: [] };
let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
/** One leaf of every dimension: Skerrivik – Holmness, Booking office, Skerry Line, local currency. */
let leaf: { members: Record<string, number>; currency: string };

beforeAll(async () => {
	database = await freshDatabase('planning', { demo: true });
	process.env.DATABASE_URL = database.url;
	people = await peopleOf(database.pool);
	const members = await database.pool.query<{ id: number; dimension: number }>(
		"SELECT id, dimension_id AS dimension FROM member WHERE code IN ('R01', 'BK')"
	);
	leaf = { members: Object.fromEntries(members.rows.map(({ id, dimension }) => [dimension, id])), currency: 'local' };
});
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const person = (name: string) => people.get(name)!;
const at = (form: FormAnswer, row: string, column: string) => ({
	row: form.rows.findIndex(({ label }) => label === row),
	column: form.columns.findIndex(({ label }) => label === column)
});
const figure = (form: FormAnswer, row: string, column: string) => {
	const place = at(form, row, column);
	return form.values[place.row * form.columns.length + place.column];
};
const open = async (name: string) => (await openForm(person(name), 1, FORM, leaf)).form;
const type = async (name: string, row: string, column: string, text: string) => {
	const form = await open(name);
	return enterFigures(person(name), 1, FORM, leaf, {
		entries: [{ ...at(form, row, column), text }],
		structure: form.structure,
		method: 'in proportion'
	});
};
const count = async (sql: string) => (await database.pool.query<{ n: number }>(`SELECT count(*)::integer AS n FROM ${sql}`)).rows[0]!.n;

describe('a draft', () => {
	test('is kept in the database, undone and redone step by step, and thrown away', async () => {
		const before = figure(await open('Tove'), 'Coaches', 'Apr 2027');
		const entered = await type('Tove', 'Coaches', 'Apr 2027', '1000');
		expect(figure(entered.form, 'Coaches', 'Apr 2027')).toBe(1_000);
		expect(entered.steps).toEqual({ undo: true, redo: false });
		await type('Tove', 'Coaches', 'Apr 2027', '+= 10%');
		expect(figure(await open('Tove'), 'Coaches', 'Apr 2027')).toBeCloseTo(1_100, 9);
		expect(await count('draft_cell')).toBe(1);
		expect(figure((await undoEntry(person('Tove'), 1, FORM, leaf)).form, 'Coaches', 'Apr 2027')).toBe(1_000);
		const undone = await undoEntry(person('Tove'), 1, FORM, leaf);
		expect(figure(undone.form, 'Coaches', 'Apr 2027')).toBe(before);
		expect(undone.steps).toEqual({ undo: false, redo: true });
		expect(await count('draft_cell')).toBe(0);
		expect(figure((await redoEntry(person('Tove'), 1, FORM, leaf)).form, 'Coaches', 'Apr 2027')).toBe(1_000);
		// Typing forgets what was undone.
		const typed = await type('Tove', 'Coaches', 'May 2027', '5');
		expect(typed.steps).toEqual({ undo: true, redo: false });
		await discardDraft(person('Tove'), 1, FORM);
		expect(figure(await open('Tove'), 'Coaches', 'Apr 2027')).toBe(before);
		expect([await count('draft_cell'), await count('draft_step')]).toEqual([0, 0]);
	});

	test('of two tabs is one: entries at the same moment both count', async () => {
		await Promise.all(
			['Apr 2027', 'May 2027', 'Jun 2027', 'Jul 2027'].map((month, index) => type('Tove', 'Coaches', month, String(100 + index)))
		);
		const form = await open('Tove');
		expect(['Apr 2027', 'May 2027', 'Jun 2027', 'Jul 2027'].map((month) => figure(form, 'Coaches', month))).toEqual([100, 101, 102, 103]);
		expect(form.draftSize).toBe(4);
		await discardDraft(person('Tove'), 1, FORM);
	});

	test('applies entries of one id once, however often and from wherever they are sent', async () => {
		const form = await open('Tove');
		const before = figure(form, 'Coaches', 'Apr 2027') ?? 0;
		const add = (id: string) =>
			enterFigures(person('Tove'), 1, FORM, leaf, {
				id,
				entries: [
					{ ...at(form, 'Coaches', 'Apr 2027'), text: '+= 500' },
					{ ...at(form, 'Coaches', 'May 2027'), text: 'ten' }
				],
				structure: form.structure
			});
		const one = '6f1c6d0e-6d7e-4a52-9a2b-2f0f3f4f0001';
		const first = await add(one);
		const again = await Promise.all([add(one), add(one)]);
		for (const { form: shown, faults, steps } of [first, ...again]) {
			expect(figure(shown, 'Coaches', 'Apr 2027')).toBe(before + 500);
			expect(faults.map(({ message }) => message)).toEqual([expect.stringMatching(/^“ten” is not a number/)]);
			expect(steps).toEqual({ undo: true, redo: false });
		}
		expect(figure((await add('6f1c6d0e-6d7e-4a52-9a2b-2f0f3f4f0002')).form, 'Coaches', 'Apr 2027')).toBe(before + 1_000);
		// Also when it was undone since: what a person took back does not come again by an answer that was lost.
		await undoEntry(person('Tove'), 1, FORM, leaf);
		await undoEntry(person('Tove'), 1, FORM, leaf);
		expect(figure((await add(one)).form, 'Coaches', 'Apr 2027') ?? 0).toBe(before);
		await discardDraft(person('Tove'), 1, FORM);
	});

	describe('belongs to the forms it was typed in', () => {
		const ASSETS = 'net-assets';
		const assets = async () => (await openForm(person('Tove'), 1, ASSETS, { members: {}, currency: 'local' })).form;
		const typeAssets = async (text: string) => {
			const form = await assets();
			return enterFigures(
				person('Tove'),
				1,
				ASSETS,
				{ members: {}, currency: 'local' },
				{ entries: [{ ...at(form, 'Cash', 'Jun 2027'), text }], structure: form.structure }
			);
		};
		test('undo, discard and save act on the one, and the other is named', async () => {
			const cash = figure(await assets(), 'Cash', 'Jun 2027');
			await type('Tove', 'Coaches', 'Apr 2027', '1000');
			await typeAssets('777');
			expect((await openForm(person('Tove'), 1, FORM, leaf)).elsewhere).toEqual([{ code: ASSETS, name: 'Net assets', cells: 1 }]);
			const undone = await undoEntry(person('Tove'), 1, FORM, leaf);
			expect(undone.form).toMatchObject({ draftSize: 1, draftHere: 0 });
			expect(undone.steps).toEqual({ undo: false, redo: true });
			expect(figure(await assets(), 'Cash', 'Jun 2027')).toBe(777);
			await type('Tove', 'Coaches', 'Apr 2027', '1001');
			expect(await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: 'saved', cells: 1 });
			expect(await openForm(person('Tove'), 1, ASSETS, { members: {}, currency: 'local' })).toMatchObject({
				form: { draftSize: 1, draftHere: 1 },
				steps: { undo: true, redo: false },
				elsewhere: []
			});
			expect(await discardDraft(person('Tove'), 1, FORM)).toEqual({ cells: 0 });
			expect(await discardDraft(person('Tove'), 1, ASSETS)).toEqual({ cells: 1 });
			expect(figure(await assets(), 'Cash', 'Jun 2027')).toBe(cash);
		});
		test('what was discarded is brought back, once, and not over what was typed since', async () => {
			await typeAssets('778');
			await discardDraft(person('Tove'), 1, ASSETS);
			expect(await bringBackDraft(person('Tove'), 1, ASSETS)).toEqual({ cells: 1, stay: 0 });
			expect(figure(await assets(), 'Cash', 'Jun 2027')).toBe(778);
			await expect(bringBackDraft(person('Tove'), 1, ASSETS)).rejects.toThrow(/nothing left/);
			await discardDraft(person('Tove'), 1, ASSETS);
			await typeAssets('779');
			expect(await bringBackDraft(person('Tove'), 1, ASSETS)).toEqual({ cells: 0, stay: 1 });
			expect(figure(await assets(), 'Cash', 'Jun 2027')).toBe(779);
			await discardDraft(person('Tove'), 1, ASSETS);
		});
		test('all of it is saved at once when that is asked', async () => {
			await type('Tove', 'Coaches', 'Apr 2027', '1002');
			await typeAssets('780');
			expect(await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS, true)).toMatchObject({ kind: 'saved', cells: 2 });
			expect((await open('Tove')).draftSize).toBe(0);
		});
		test('one figure typed in two of them is the later one’s; undoing the earlier leaves it', async () => {
			const ORDER = { members: {}, currency: 'local' };
			await typeAssets('781');
			// The same cell through a copy of the form.
			await database.pool.query(
				"INSERT INTO form (model_id, code, name, layout) SELECT model_id, 'net-assets-too', 'Net assets too', layout FROM form WHERE code = 'net-assets'"
			);
			const form = await assets();
			await enterFigures(person('Tove'), 1, 'net-assets-too', ORDER, {
				entries: [{ ...at(form, 'Cash', 'Jun 2027'), text: '782' }],
				structure: form.structure
			});
			await undoEntry(person('Tove'), 1, ASSETS, ORDER);
			expect(figure(await assets(), 'Cash', 'Jun 2027')).toBe(782);
			expect(await discardDraft(person('Tove'), 1, 'net-assets-too')).toEqual({ cells: 1 });
			await database.pool.query("DELETE FROM form WHERE code = 'net-assets-too'");
		});
	});

	test('takes thirty entries at once, more than there are connections', async () => {
		const form = await open('Tove');
		await Promise.all(
			Array.from({ length: 30 }, (_, index) =>
				enterFigures(person('Tove'), 1, FORM, leaf, {
					entries: [{ ...at(form, 'Coaches', 'Apr 2027'), text: String(index) }],
					structure: form.structure
				})
			)
		);
		expect((await open('Tove')).draftSize).toBe(1);
		await discardDraft(person('Tove'), 1, FORM);
	});

	test('takes the good cells of a block and names the others', async () => {
		const form = await open('Tove');
		const entries = [
			{ ...at(form, 'Coaches', 'Apr 2027'), text: '10' },
			{ ...at(form, 'Contribution margin', 'Apr 2027'), text: '5' },
			{ ...at(form, 'Coaches', 'May 2027'), text: 'ten' }
		];
		const outcome = await enterFigures(person('Tove'), 1, FORM, leaf, { entries, structure: form.structure, method: 'in proportion' });
		expect(figure(outcome.form, 'Coaches', 'Apr 2027')).toBe(10);
		expect(outcome.faults.map(({ message }) => message)).toEqual([
			'Contribution margin is computed by its formula.',
			expect.stringMatching(/^“ten” is not a number/)
		]);
		await discardDraft(person('Tove'), 1, FORM);
	});
});

describe('saving', () => {
	test('posts one change set with what was, what is and what lies beneath, and others see it', async () => {
		const proposed = figure(await open('Tove'), 'Freight lanes', 'Dec 2027');
		await type('Tove', 'Freight lanes', 'Dec 2027', '654321');
		const saved = await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS);
		expect(saved).toMatchObject({ kind: 'saved', cells: 1 });
		expect(figure(await open('Osric'), 'Freight lanes', 'Dec 2027')).toBe(654_321);
		const journal = await database.pool.query('SELECT before, after, beneath FROM entry_change ORDER BY revision DESC LIMIT 1');
		expect(journal.rows).toEqual([{ before: null, after: 654_321, beneath: proposed }]);
		expect(await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS)).toEqual({ kind: 'nothing' });
		const place = at(await open('Osric'), 'Freight lanes', 'Dec 2027');
		const details = await inspectFigure(person('Osric'), 1, FORM, leaf, place.row, place.column);
		expect(details.madeOf).toMatchObject([
			{ name: 'Opening figures', value: proposed, setAside: true },
			{ name: 'Entry', value: 654_321, setAside: false }
		]);
		expect(details.history[0]).toMatchObject({ person: 'Tove Brandal', before: proposed, after: 654_321 });
	});

	test('stops at a cell that changed meanwhile, writes nothing, and goes on as decided', async () => {
		await type('Tove', 'Freight lanes', 'Jan 2028', '111');
		await type('Tove', 'Freight lanes', 'Feb 2028', '222');
		await type('Osric', 'Freight lanes', 'Jan 2028', '999');
		await saveDraft(person('Osric'), 1, FORM, NO_DECISIONS);
		const revisions = await count('change_set');
		const stopped = await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS);
		if (stopped.kind !== 'conflicts') throw new Error(`expected conflicts, not ${stopped.kind}`);
		expect(stopped.conflicts).toMatchObject([{ now: 999, mine: 111 }]);
		expect(await count('change_set')).toBe(revisions);
		expect((await open('Tove')).draftSize).toBe(2);
		expect(await saveDraft(person('Tove'), 1, FORM, { keepMine: [], takeTheirs: stopped.conflicts })).toMatchObject({
			kind: 'saved',
			cells: 1
		});
		const form = await open('Osric');
		expect([figure(form, 'Freight lanes', 'Jan 2028'), figure(form, 'Freight lanes', 'Feb 2028')]).toEqual([999, 222]);
	});

	test('is refused where a lock came after the typing, and the draft is kept', async () => {
		await type('Tove', 'Freight lanes', 'Mar 2028', '77');
		const unlock = await putLock(1, { layer: 'cycle', state: 'held', name: 'The budget round' });
		expect(await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS)).toMatchObject({
			kind: 'refused',
			refused: [{ reason: 'The budget round is held.' }]
		});
		expect((await open('Tove')).draftSize).toBe(1);
		await unlock();
		expect(await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS)).toMatchObject({ kind: 'saved' });
	});
});

test('what is not allowed or not there is said, whoever calls', async () => {
	await expect(type('Vera', 'Coaches', 'Apr 2027', '1')).rejects.toMatchObject({ status: 403 });
	await expect(saveDraft(undefined, 1, FORM, NO_DECISIONS)).rejects.toMatchObject({ status: 401 });
	await expect(openForm(person('Tove'), 1, 'no-such-form', leaf)).rejects.toMatchObject({ status: 404 });
	const outcome = await type('Imke', 'Coaches', 'Apr 2027', '1');
	expect(outcome.faults[0]!.message).toBe('Your grant is for Northgate Line.');
});

describe('taking a save back', () => {
	test('puts back what stood there, cell by cell; what was typed since stays', async () => {
		const before = figure(await open('Tove'), 'Coaches', 'Jun 2027');
		await type('Tove', 'Coaches', 'Jun 2027', '4001');
		await type('Tove', 'Coaches', 'Jul 2027', '4002');
		const saved = await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS);
		if (saved.kind !== 'saved') throw new Error(saved.kind);
		await type('Lidia', 'Coaches', 'Jul 2027', '4003').catch(() => undefined);
		await type('Tove', 'Coaches', 'Jul 2027', '4004');
		await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS);
		const back = await takeBackSave(person('Tove'), 1, { revision: saved.revision });
		expect(back).toMatchObject({ cells: 1, stay: 1 });
		const after = await open('Tove');
		expect(figure(after, 'Coaches', 'Jun 2027')).toBe(before);
		expect(figure(after, 'Coaches', 'Jul 2027')).toBe(4_004);
		expect(await count(`change_set WHERE kind = 'take back' AND revision = ${back.revision}`)).toBe(1);
		await expect(takeBackSave(person('Tove'), 1, { revision: saved.revision })).rejects.toThrow('typed anew since');
	});

	test('is for one’s own saves, and stops before what has been closed', async () => {
		await type('Tove', 'Coaches', 'Aug 2027', '5001');
		const saved = await saveDraft(person('Tove'), 1, FORM, NO_DECISIONS);
		if (saved.kind !== 'saved') throw new Error(saved.kind);
		await expect(takeBackSave(person('Lidia'), 1, { revision: saved.revision })).rejects.toMatchObject({ status: 404 });
		const unlock = await putLock(1, { name: 'All closed' });
		await expect(takeBackSave(person('Tove'), 1, { revision: saved.revision })).rejects.toThrow('All closed');
		await unlock();
		expect(await takeBackSave(person('Tove'), 1, { revision: saved.revision })).toMatchObject({ cells: 1, stay: 0 });
	});
});

describe('an answer to a page that knows the form', () => {
	test('holds the rows that changed only, and together they are the form', async () => {
		const whole = await openForm(person('Tove'), 1, FORM, leaf);
		const { frame, moment } = whole.form;
		const place = at(whole.form, 'Coaches', 'May 2027');
		const { form } = await enterFigures(
			person('Tove'),
			1,
			FORM,
			leaf,
			{ entries: [{ ...place, text: '77' }], structure: whole.form.structure },
			{ frame, moment }
		);
		expect(form.others).toBe('same');
		expect(form.part!.length).toBeGreaterThan(0);
		expect(form.part!.length).toBeLessThan(whole.form.rows.length);
		const width = whole.form.columns.length;
		const put = [...whole.form.values];
		form.part!.forEach((row, index) => put.splice(row * width, width, ...form.values.slice(index * width, (index + 1) * width)));
		expect(put).toEqual((await openForm(person('Tove'), 1, FORM, leaf)).form.values);
		// Whoever shows another moment gets all of it.
		const late = await enterFigures(
			person('Tove'),
			1,
			FORM,
			leaf,
			{ entries: [{ ...place, text: '78' }], structure: whole.form.structure },
			{ frame, moment }
		);
		expect(late.form.others).toBeUndefined();
		await discardDraft(person('Tove'), 1, FORM);
	});
});

describe('a form with computed columns', () => {
	const compare = (choices: object = leaf) => openForm(person('Maren'), 1, 'budget-against-outlook', choices as typeof leaf);
	test('shows differences with what is good and what is bad, and follows what is typed', async () => {
		const { form } = await compare({ members: {}, currency: 'EUR' });
		expect(form.columns.map(({ label }) => label)).toEqual(['Budget FY2028', 'Outlook FY2027', 'Difference', 'in %']);
		const width = form.columns.length;
		const row = (label: string) => form.rows.findIndex((line) => line.label === label);
		for (const label of ['Revenue', 'Voyage costs']) {
			const [budget, outlook, difference, share] = form.values.slice(row(label) * width, row(label) * width + 4) as number[];
			expect(difference).toBeCloseTo(budget! - outlook!, 6);
			expect(share).toBeCloseTo((budget! - outlook!) / Math.abs(outlook!), 9);
			const isMore = difference! > 0;
			// More revenue is good news, more costs are not.
			expect(form.good.includes(row(label) * width + 2)).toBe(label === 'Revenue' ? isMore : !isMore);
			expect(form.bad.includes(row(label) * width + 2)).toBe(label === 'Revenue' ? !isMore : isMore);
		}
		expect([...form.marks].filter((_, index) => index % width >= 2).every((mark) => mark === 'c')).toBe(true);
	});
	test('takes nothing there, and says how a figure came about', async () => {
		const choices = { members: {}, currency: 'EUR' };
		const { form } = await compare(choices);
		const revenue = form.rows.findIndex(({ label }) => label === 'Revenue');
		const entered = await enterFigures(person('Maren'), 1, 'budget-against-outlook', choices, {
			entries: [{ row: revenue, column: 2, text: '5' }],
			structure: form.structure,
			method: 'in proportion'
		});
		expect(entered.faults).toMatchObject([{ message: 'Difference is computed by the form: nobody types here.' }]);
		const details = await inspectFigure(person('Maren'), 1, 'budget-against-outlook', choices, revenue, 2);
		expect(details).toMatchObject({ formula: 'Budget FY2028 − Outlook FY2027', verdict: { kind: 'computed' }, history: [] });
	});
	test('to date, the last month is the year, and nobody types there', async () => {
		const choices = { members: {}, currency: 'EUR' };
		const { form } = await openForm(person('Maren'), 1, 'contribution-to-date', choices);
		const { form: months } = await openForm(person('Maren'), 1, FORM, choices);
		const revenue = (of: FormAnswer) =>
			of.values.slice(of.rows.findIndex(({ label }) => label === 'Revenue') * of.columns.length) as number[];
		const own = revenue(months);
		expect(revenue(form)[1]).toBeCloseTo(own[0]! + own[1]!, 4);
		expect(revenue(form)[11]).toBeCloseTo(own[12]!, 4);
		expect(new Set(form.marks)).toEqual(new Set('c'));
		expect(form.columns[0]!.computed).toBe('Run up since the start of the year');
	});
});

test('a figure typed where a formula lets it stands above the result, is followed, shows what it would be, and goes again', async () => {
	const account = (await database.pool.query<{ id: number }>("SELECT id FROM member WHERE code = '4030'")).rows[0]!.id;
	const half = { text: '"Foot passengers" / 2', timing: 'per leaf' as const, scenarios: null, from: null, to: null };
	const set = async (formulas: FormulaDraft[]) =>
		setFormulas(person('Maren'), 1, { account, formulas, was: (await readFormulas(person('Maren'), 1, account)).formulas });
	const enter = async (text: string) => {
		const form = await open('Tove');
		return enterFigures(person('Tove'), 1, FORM, leaf, {
			entries: [{ ...at(form, 'Coaches', 'Apr 2027'), text }],
			structure: form.structure
		});
	};
	await set([{ ...half, mayBeTyped: false }]);
	const result = figure(await open('Tove'), 'Foot passengers', 'Apr 2027')! / 2;
	expect((await enter('77')).faults[0]!.message).toBe('Coaches is computed by its formula.');
	await set([{ ...half, mayBeTyped: true }]);
	const before = await open('Tove');
	expect(figure(before, 'Coaches', 'Apr 2027')).not.toBe(result);
	await database.pool.query(
		`DELETE FROM cells_1 WHERE d${(await database.pool.query<{ id: number }>("SELECT id FROM dimension WHERE code = 'account'")).rows[0]!.id} = $1`,
		[account]
	);
	// Nothing is stored there any more once the cells are read again, as by another server: the result shows.
	await stopEngines();
	await set([]);
	await set([{ ...half, mayBeTyped: true }]);
	expect(figure(await open('Tove'), 'Coaches', 'Apr 2027')).toBeCloseTo(result, 6);
	const typed = await enter('77');
	expect(typed.faults).toEqual([]);
	expect(figure(typed.form, 'Coaches', 'Apr 2027')).toBe(77);
	expect(figure(typed.form, 'Ticket revenue', 'Apr 2027')! - figure(before, 'Ticket revenue', 'Apr 2027')!).toBeCloseTo(
		77 - figure(before, 'Coaches', 'Apr 2027')!,
		4
	);
	const place = at(typed.form, 'Coaches', 'Apr 2027');
	const details = await inspectFigure(person('Tove'), 1, FORM, leaf, place.row, place.column);
	expect(details).toMatchObject({ formula: '"Foot passengers" / 2' });
	expect(details.result).toBeCloseTo(result, 6);
	expect(details.madeOf.length).toBeGreaterThan(0);
	await discardDraft(person('Tove'), 1, FORM);
	expect(figure(await open('Tove'), 'Coaches', 'Apr 2027')).toBeCloseTo(result, 6);
	await set([]);
});
