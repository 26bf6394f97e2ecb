import ExcelJS from 'exceljs';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import {
	branchesFor,
	branchFor,
	branchHere,
	branchNames,
	bringBackBranch,
	changeBranch,
	compare,
	comparisonFile,
	copyBranch,
	dropBranch,
	makeBranch,
	mergeBranch,
	putBackChanges,
	readChanges,
	readComments,
	readContributions,
	setBranchState,
	takeBackMerge,
	writeComment
} from '../../src/lib/server/branch';
import { transaction } from '../../src/lib/server/database';
import { writeBranch } from '../../src/lib/server/database/branch-series';
import { addressDimensions } from '../../src/lib/server/database/definitions';
import { enterFigures, formWorkbook, openForm, readWorkbook, saveDraft } from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';
import { putLock } from './locked';

let house: House;
let osric: SignedIn;
let imke: SignedIn;
let tove: SignedIn;
const MODEL = 1;
const FORM = 'route-contribution';
const ids = new Map<string, number>();
const dimension = new Map<string, number>();

beforeAll(async () => {
	house = await openHouse('branch');
	osric = await house.person('Osric', MODEL);
	imke = await house.person('Imke', MODEL);
	tove = await house.person('Tove', MODEL);
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		if (['Scenario', 'Line', 'Department', 'Period'].includes(name) || code === 'R06') ids.set(code, id);
		dimension.set(name, of);
	}
});
afterAll(() => house.close());

/** Somebody in a branch. */
const within = async (person: SignedIn, branch: number): Promise<SignedIn> => ({
	...person,
	branch: await branchHere(person, MODEL, branch)
});
const choices = () => ({
	members: {
		[dimension.get('Line')!]: ids.get('NOR')!,
		[dimension.get('Route')!]: ids.get('R06')!,
		[dimension.get('Department')!]: ids.get('BK')!
	},
	currency: 'local'
});
async function shown(person: SignedIn, row: string, column: string): Promise<number | null> {
	const { form } = await openForm(person, MODEL, FORM, choices());
	const at =
		form.rows.findIndex(({ label }) => label === row) * form.columns.length + form.columns.findIndex(({ label }) => label === column);
	return form.values[at]!;
}
async function type(person: SignedIn, row: string, column: string, text: string): Promise<string | undefined> {
	const { form } = await openForm(person, MODEL, FORM, choices());
	const outcome = await enterFigures(person, MODEL, FORM, choices(), {
		entries: [
			{ row: form.rows.findIndex(({ label }) => label === row), column: form.columns.findIndex(({ label }) => label === column), text }
		],
		structure: form.structure
	});
	return outcome.faults[0]?.message;
}
const save = (person: SignedIn, keepMine: { address: number[]; period: number }[] = []) =>
	saveDraft(person, MODEL, FORM, { keepMine, takeTheirs: [] });
const everything = { find: '', account: null, person: null, movedOnly: false };
const changesOf = (person: SignedIn, id: number) => readChanges(person, MODEL, { ...everything, id, from: 0 });
let next = 0;
const made = async (people: { id: number; may: 'read' | 'work' }[] = [], by = osric) =>
	(await makeBranch(by, MODEL, { name: `Try ${++next}`, purpose: 'what if', due: null, everybody: 'nothing', people })).id;

describe('a branch', () => {
	test('is typed into and saved without touching the plan; the plan shows through where nothing was changed', async () => {
		const id = await made([{ id: imke.id, may: 'work' }]);
		const [mine, hers] = [await within(osric, id), await within(imke, id)];
		const [may, june] = [await shown(osric, 'Coaches', 'May 2027'), await shown(osric, 'Coaches', 'Jun 2027')];
		const year = (await shown(osric, 'Coaches', 'FY2028'))!;
		expect(await type(mine, 'Coaches', 'May 2027', String(Math.round(may!) + 700))).toBeUndefined();
		// Not saved, it is nobody else's, and the plan's draft knows nothing of it.
		expect(await shown(hers, 'Coaches', 'May 2027')).toBe(may);
		expect((await openForm(osric, MODEL, FORM, choices())).form.draftSize).toBe(0);
		expect(await save(mine)).toMatchObject({ kind: 'saved', cells: 1, branch: id });
		expect(await shown(hers, 'Coaches', 'May 2027')).toBe(Math.round(may!) + 700);
		expect(await shown(osric, 'Coaches', 'May 2027')).toBe(may);
		expect(await shown(hers, 'Coaches', 'FY2028')).toBeCloseTo(year - may! + Math.round(may!) + 700, 4);
		const { form } = await openForm(hers, MODEL, FORM, choices());
		const cell = (row: string, column: string) =>
			form.rows.findIndex(({ label }) => label === row) * form.columns.length + form.columns.findIndex(({ label }) => label === column);
		expect(form.branched).toContain(cell('Coaches', 'May 2027'));
		expect(form.branched).toContain(cell('Coaches', 'FY2028'));
		expect(form.branched).not.toContain(cell('Coaches', 'Jun 2027'));
		// The plan moves: there too where nothing was changed, and not where something was.
		expect(await type(osric, 'Coaches', 'Jun 2027', String(Math.round(june!) + 5))).toBeUndefined();
		expect(await type(osric, 'Coaches', 'May 2027', '1')).toBeUndefined();
		expect(await save(osric)).toMatchObject({ kind: 'saved', cells: 2 });
		expect(await shown(hers, 'Coaches', 'Jun 2027')).toBe(Math.round(june!) + 5);
		expect(await shown(hers, 'Coaches', 'May 2027')).toBe(Math.round(may!) + 700);
		const { lines, totals } = await changesOf(imke, id);
		expect(lines).toMatchObject([{ base: 1, value: Math.round(may!) + 700, moved: true, person: 'Osric Hale', accountName: 'Coaches' }]);
		expect(totals.length).toBeGreaterThan(0);
		// Put back, it is as in the plan, which has moved.
		expect(await putBackChanges(hers, MODEL, { ...everything, id, places: null })).toEqual({ cells: 1 });
		expect(await shown(mine, 'Coaches', 'May 2027')).toBe(1);
		expect((await changesOf(osric, id)).all).toBe(0);
		await type(osric, 'Coaches', 'May 2027', String(may));
		await save(osric);
	});

	test('two who type the same cell are told, as in the plan; an entry taken away is taken away there alone', async () => {
		const id = await made([{ id: imke.id, may: 'work' }]);
		const [mine, hers] = [await within(osric, id), await within(imke, id)];
		await type(mine, 'Coaches', 'Aug 2027', '11');
		await type(hers, 'Coaches', 'Aug 2027', '12');
		expect(await save(mine)).toMatchObject({ kind: 'saved' });
		const conflict = await save(hers);
		expect(conflict).toMatchObject({ kind: 'conflicts', conflicts: [{ now: 11, mine: 12 }] });
		if (conflict.kind !== 'conflicts') throw new Error('no conflict');
		expect(await save(hers, conflict.conflicts)).toMatchObject({ kind: 'saved' });
		expect(await shown(mine, 'Coaches', 'Aug 2027')).toBe(12);
		const plan = await shown(osric, 'Coaches', 'Aug 2027');
		await type(mine, 'Coaches', 'Aug 2027', '');
		await save(mine);
		expect(await shown(osric, 'Coaches', 'Aug 2027')).toBe(plan);
	});

	test('is seen by who made it and who is named; looked at is not worked in; frozen it stays as it is', async () => {
		const id = await made([{ id: imke.id, may: 'read' }]);
		expect((await branchesFor(imke, MODEL)).map((branch) => branch.id)).toContain(id);
		expect((await branchesFor(tove, MODEL)).map((branch) => branch.id)).not.toContain(id);
		for (const person of [osric, imke, tove])
			expect((await branchNames(person, MODEL)).map((each) => each.id).sort()).toEqual(
				(await branchesFor(person, MODEL)).map((branch) => branch.id).sort()
			);
		expect(await faultOf(branchHere(tove, MODEL, id))).toMatchObject({ status: 404 });
		expect(await faultOf(readChanges(tove, MODEL, { ...everything, id, from: 0 }))).toMatchObject({ status: 404 });
		expect(await faultOf(compare(tove, MODEL, { form: FORM, choices: choices(), sides: ['plan', `b${id}`] }))).toMatchObject({
			status: 404
		});
		const hers = await within(imke, id);
		expect(await faultOf(type(hers, 'Coaches', 'May 2027', '1'))).toMatchObject({ status: 409 });
		expect(await faultOf(dropBranch(imke, MODEL, { id }))).toMatchObject({ status: 403 });
		await changeBranch(osric, MODEL, { id, name: `Renamed ${id}`, purpose: '', due: '2027-01-31', everybody: 'work', people: [] });
		const theirs = await within(tove, id);
		expect(theirs.branch).toMatchObject({ name: `Renamed ${id}`, whyNot: '' });
		await setBranchState(osric, MODEL, { id, state: 'frozen' });
		expect((await faultOf(save(theirs))).message).toMatch(/frozen/);
		expect((await within(osric, id)).branch!.whyNot).toMatch(/is frozen/);
		expect(
			await faultOf(
				mergeBranch(osric, MODEL, { ...everything, id, places: null, decides: null, leavesRefused: false, also: { runs: [], loads: [] } })
			)
		).toMatchObject({
			status: 409
		});
		await writeComment(tove, MODEL, { id, text: 'too dear' });
		expect(await readComments(id)).toMatchObject([{ person: 'Tove Brandal', text: 'too dear' }]);
	});

	test('is copied with what it holds, dropped and brought back; a name is had once', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Jul 2027', '21');
		await save(mine);
		const copy = await copyBranch(osric, MODEL, { id, name: `Copy of ${id}` });
		const there = await within(osric, copy.id);
		expect(await shown(there, 'Coaches', 'Jul 2027')).toBe(21);
		await type(there, 'Coaches', 'Jul 2027', '22');
		await save(there);
		expect(await shown(mine, 'Coaches', 'Jul 2027')).toBe(21);
		expect((await changesOf(osric, copy.id)).lines).toMatchObject([{ value: 22 }]);
		expect(await faultOf(copyBranch(osric, MODEL, { id, name: `copy of ${id}` }))).toMatchObject({ status: 409, code: 'name taken' });
		await dropBranch(osric, MODEL, { id });
		expect(await faultOf(branchHere(osric, MODEL, id))).toMatchObject({ status: 404 });
		await bringBackBranch(osric, MODEL, { id });
		expect(await shown(await within(osric, id), 'Coaches', 'Jul 2027')).toBe(21);
	});
});

describe('what a branch does', () => {
	test('to the totals is what was typed, to the cent: a thousand more fuel of a line in euros, whatever it is spread over', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const amber = { members: { [dimension.get('Line')!]: ids.get('AMB')! }, currency: 'EUR' };
		const { form } = await openForm(mine, MODEL, FORM, amber);
		const [row, column] = [
			form.rows.findIndex(({ label }) => label === 'Fuel'),
			form.columns.findIndex(({ label }) => label === 'Apr 2027')
		];
		await enterFigures(mine, MODEL, FORM, amber, {
			entries: [{ row, column, text: String(form.values[row * form.columns.length + column]! + 1_000) }],
			structure: form.structure
		});
		await save(mine);
		const { totals, accounts, currency } = await changesOf(osric, id);
		const moved = (account: string) => {
			const { before, after, scenario, period } = totals.find((total) => total.account === account)!;
			return [scenario, period, Math.round((after! - before!) * 100) / 100];
		};
		expect(currency).toBe('EUR');
		expect(moved('Voyage costs')).toEqual(['Budget FY2028', 'FY2028', 1_000]);
		// Costs are taken off the contribution.
		expect(moved('Operating contribution')).toEqual(['Budget FY2028', 'FY2028', -1_000]);
		expect(accounts).toMatchObject([{ name: 'Fuel' }]);
	});

	test('to a choice is told in words, in the list and beside the plan', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const BONUSES = 'bonuses';
		const { form } = await openForm(mine, MODEL, BONUSES, { members: {} });
		const row = form.rows.findIndex(({ label }) => label === 'Amber Coast Line');
		const column = form.columns.findIndex(({ label }) => label === 'Bonus month');
		await enterFigures(mine, MODEL, BONUSES, { members: {} }, { entries: [{ row, column, text: 'Jan 2028' }], structure: form.structure });
		expect(await saveDraft(mine, MODEL, BONUSES, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved', cells: 1 });
		const { lines } = await changesOf(osric, id);
		expect(lines).toMatchObject([
			{ accountName: 'Bonus month', said: { base: 'Dec 2027', value: 'Jan 2028', seen: 'Dec 2027' }, currency: null }
		]);
		const { sides, columns, rows } = await compare(osric, MODEL, { form: BONUSES, choices: { members: {} }, sides: ['plan', `b${id}`] });
		const cell = row * columns.length + column;
		expect(sides.map(({ words }) => words[cell])).toEqual(['Dec 2027', 'Jan 2028']);
		expect((columns[column]!.facts ?? rows[row]!.facts).inWords).toBe(true);
	});
});

describe('merging', () => {
	const merge = (id: number, more: Partial<Parameters<typeof mergeBranch>[2]> = {}, by = osric) =>
		mergeBranch(by, MODEL, {
			...everything,
			id,
			places: null,
			decides: null,
			leavesRefused: false,
			also: { runs: [], loads: [] },
			...more
		});

	test('makes the plan what the branch showed, in one change set that can be taken back', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const before = [await shown(osric, 'Coaches', 'Oct 2027'), await shown(osric, 'Fuel', 'Oct 2027')];
		await type(mine, 'Coaches', 'Oct 2027', '31');
		await type(mine, 'Fuel', 'Oct 2027', '3200');
		await save(mine);
		const branch = [await shown(mine, 'Coaches', 'Oct 2027'), await shown(mine, 'Fuel', 'Oct 2027')];
		expect(await faultOf(merge(id, {}, imke))).toMatchObject({ status: 403 });
		const outcome = await merge(id);
		expect(outcome).toMatchObject({ kind: 'merged', left: 0 });
		const plan = [await shown(osric, 'Coaches', 'Oct 2027'), await shown(osric, 'Fuel', 'Oct 2027')];
		plan.forEach((value, at) => expect(value).toBeCloseTo(branch[at]!, 6));
		expect((await faultOf(merge(id))).message).toMatch(/has been merged/);
		expect(await faultOf(type(await within(osric, id), 'Coaches', 'Oct 2027', '5'))).toMatchObject({ status: 409 });
		await takeBackMerge(osric, MODEL, { id });
		expect([await shown(osric, 'Coaches', 'Oct 2027'), await shown(osric, 'Fuel', 'Oct 2027')]).toEqual(before);
		expect(await shown(await within(osric, id), 'Coaches', 'Oct 2027')).toBe(31);
	});

	test('asks where the plan has moved since, and takes what is decided', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Nov 2027', '41');
		await type(mine, 'Coaches', 'Dec 2027', '42');
		await save(mine);
		await type(osric, 'Coaches', 'Nov 2027', '7');
		await save(osric);
		expect(await merge(id)).toMatchObject({ kind: 'moved', count: 1, moved: [{ base: 7, value: 41 }] });
		expect(await shown(osric, 'Coaches', 'Dec 2027')).not.toBe(42);
		expect(await merge(id, { decides: 'plan' })).toMatchObject({ kind: 'merged', cells: 1, left: 1 });
		expect([await shown(osric, 'Coaches', 'Nov 2027'), await shown(osric, 'Coaches', 'Dec 2027')]).toEqual([7, 42]);
		expect(await merge(id, { decides: 'branch' })).toMatchObject({ kind: 'merged', cells: 1 });
		expect(await shown(osric, 'Coaches', 'Nov 2027')).toBe(41);
	});

	test('asks nothing where the plan has come to the same by itself; what is merged is not opened by the way', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Apr 2027', '45');
		await type(mine, 'Coaches', 'Jun 2027', '46');
		await save(mine);
		await type(osric, 'Coaches', 'Apr 2027', '45');
		await save(osric);
		expect(await merge(id)).toMatchObject({ kind: 'merged', cells: 1, left: 0 });
		expect([await shown(osric, 'Coaches', 'Apr 2027'), await shown(osric, 'Coaches', 'Jun 2027')]).toEqual([45, 46]);
		expect((await faultOf(setBranchState(osric, MODEL, { id, state: 'open' }))).message).toMatch(/Take the merge back first/);
		await dropBranch(osric, MODEL, { id });
		await bringBackBranch(osric, MODEL, { id });
		expect((await branchFor(osric, MODEL, id)).state).toBe('merged');
	});

	test('into what is closed is refused as a whole, or leaves that behind in the branch', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Jan 2028', '51');
		await type(mine, 'Coaches', 'Feb 2028', '52');
		await save(mine);
		const open = await putLock(MODEL, { name: 'January' }, [ids.get('BUD28')!, ids.get('2028-01')!]);
		expect(await merge(id)).toMatchObject({
			kind: 'refused',
			count: 1,
			refused: [{ reason: expect.stringContaining('January is closed') as string }]
		});
		expect(await shown(osric, 'Coaches', 'Feb 2028')).not.toBe(52);
		expect(await merge(id, { leavesRefused: true })).toMatchObject({ kind: 'merged', cells: 1, left: 1 });
		expect(await shown(osric, 'Coaches', 'Feb 2028')).toBe(52);
		await open();
		expect(await merge(id)).toMatchObject({ kind: 'merged', cells: 1 });
		expect(await shown(osric, 'Coaches', 'Jan 2028')).toBe(51);
	});

	test('by two at once happens once', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Mar 2028', '61');
		await save(mine);
		const maren = await house.person('Maren', MODEL);
		const outcomes = await Promise.allSettled([merge(id), merge(id, {}, maren)]);
		expect(outcomes.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
		expect(await shown(osric, 'Coaches', 'Mar 2028')).toBe(61);
	});

	test('of a form side by side the plan and the branches differ where they were changed', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Sep 2027', '71');
		await save(mine);
		const { sides, rows, columns } = await compare(osric, MODEL, { form: FORM, choices: choices(), sides: ['plan', `b${id}`] });
		const at = rows.findIndex(({ label }) => label === 'Coaches') * columns.length + columns.findIndex(({ label }) => label === 'Sep 2027');
		expect(sides.map(({ values }) => values[at])).toEqual([await shown(osric, 'Coaches', 'Sep 2027'), 71]);
		const other = rows.findIndex(({ label }) => label === 'Fuel') * columns.length;
		expect(sides[1]!.values[other]).toBe(sides[0]!.values[other]);
	});
});

describe('what makes a difference', () => {
	test('is told by member, the largest first, and adds up; closer, down to the cell', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const [cars, fuel] = [(await shown(osric, 'Cars and vans', 'Apr 2027'))!, (await shown(osric, 'Coaches', 'May 2027'))!];
		await type(mine, 'Cars and vans', 'Apr 2027', String(cars + 900));
		await type(mine, 'Coaches', 'May 2027', String(fuel - 400));
		await save(mine);
		const { form } = await openForm(osric, MODEL, FORM, choices());
		const asked = {
			...{ form: FORM, choices: choices(), from: 'plan', to: `b${id}`, dimension: null, at: {} },
			row: form.rows.findIndex(({ label }) => label === 'Operating contribution'),
			column: form.columns.findIndex(({ label }) => label === 'FY2028')
		};
		const parts = async (more: object = {}, person = osric) => {
			const found = await readContributions(person, MODEL, { ...asked, ...more });
			return { ...found, parts: found.lines.map(({ name, part }) => [name, Math.round(part)]) };
		};
		const period = dimension.get('Period')!;
		const account = (await parts()).dimensions.find(({ name }) => name === 'Account')!.id;
		const whole = await parts({ dimension: period });
		expect(Math.round(whole.after! - whole.before!)).toBe(500);
		expect([whole.parts.reduce((sum, [, part]) => sum + (part as number), 0), whole.addsUp]).toEqual([500, true]);
		// The half of the year, its quarter, and the months of that.
		expect(whole.parts).toEqual([['H1 FY2028', 500]]);
		const quarter = await parts({ dimension: period, at: { [period]: whole.lines[0]!.member } });
		expect((await parts({ dimension: period, at: { [period]: quarter.lines[0]!.member } })).parts).toEqual([
			['Apr 2027', 900],
			['May 2027', -400]
		]);
		const revenue = await parts({ dimension: account });
		expect(revenue.parts).toEqual([['Revenue', 500]]);
		const tickets = await parts({ dimension: account, at: { [account]: revenue.lines[0]!.member } });
		expect(tickets.parts).toEqual([['Ticket revenue', 500]]);
		expect((await parts({ dimension: account, at: { [account]: tickets.lines[0]!.member } })).parts).toEqual([
			['Cars and vans', 900],
			['Coaches', -400]
		]);
		// The other way round, and with itself.
		expect((await parts({ dimension: account, from: `b${id}`, to: 'plan' })).parts).toEqual([['Revenue', -500]]);
		expect((await parts({ from: 'plan', to: 'plan' })).parts).toEqual([]);
		// More cost is less contribution, in the currency that is asked for: by its weight in the tree, at the rates of each month.
		const dear = await made();
		const there = await within(osric, dear);
		const [april, may] = await Promise.all(['Apr 2027', 'May 2027'].map((column) => shown(osric, 'Shop goods', column)));
		await type(there, 'Shop goods', 'Apr 2027', String((april ?? 0) + 700));
		await type(there, 'Shop goods', 'May 2027', String((may ?? 0) + 300));
		await save(there);
		const inEuros = { ...choices(), currency: 'EUR' };
		const local = await parts({ to: `b${dear}`, dimension: account });
		expect(local.parts).toEqual([['Goods sold onboard', -1_000]]);
		const euros = await parts({ to: `b${dear}`, dimension: account, choices: inEuros });
		expect([euros.lines[0]!.part, euros.addsUp]).toEqual([expect.closeTo(euros.after! - euros.before!, 6), true]);
		expect(Math.round(euros.lines[0]!.part)).not.toBe(-1_000);
		const byHalf = await parts({ to: `b${dear}`, dimension: period, choices: inEuros });
		expect([byHalf.lines[0]!.part, byHalf.addsUp]).toEqual([expect.closeTo(euros.lines[0]!.part, 6), true]);
		// A ratio is no sum of its months.
		const share = await parts({ row: form.rows.findIndex(({ label }) => label === 'Contribution margin'), dimension: period });
		expect(share.addsUp).toBe(false);
		expect(await faultOf(parts({}, tove))).toMatchObject({ status: 404 });
		expect(await faultOf(parts({ at: { [period]: 999_999 } }))).toMatchObject({ status: 422 });
	});
});

describe('who reads a part', () => {
	test('is told of a branch what they may read, and not how much there is beside', async () => {
		const { posts } = house;
		const maren = await house.person('Maren', posts);
		const { id } = await makeBranch(maren, posts, {
			name: 'Dearer crews',
			purpose: '',
			due: null,
			everybody: 'nothing',
			people: [{ id: tove.id, may: 'work' }]
		});
		const entry = await house.database.pool.query<{ id: number }>("SELECT id FROM origin WHERE model_id = $1 AND mode = 'entry'", [posts]);
		const dimensions = await addressDimensions(house.database.pool, posts);
		const address = `ARRAY[${dimensions.map((each) => `c.d${each}`).join(', ')}]`;
		// A cell of each line, told apart by its line.
		const stored = await house.database.pool.query<{ line: string; address: number[]; year: number }>(
			`SELECT DISTINCT ON (m.code) m.code AS line, ${address} AS address, c.fiscal_year AS year FROM cells_${posts} c JOIN member m ON m.id = c.d${house.line}
			WHERE m.code IN ('SKE', 'NOR') ORDER BY m.code`
		);
		expect(stored.rows.map(({ line }) => line)).toEqual(['NOR', 'SKE']);
		await transaction((client) =>
			writeBranch(
				client,
				id,
				{ person: maren.id, acting: null, words: 'Test' },
				stored.rows.map(({ address: at, year }) => ({ origin: entry.rows[0]!.id, address: at, year, position: 0, value: 77, seen: 1 })),
				12
			)
		);
		const all = await readChanges(maren, posts, { ...everything, id, from: 0 });
		expect(all.all).toBe(2);
		const hers = await house.person('Tove', posts);
		const part = await readChanges(hers, posts, { ...everything, id, from: 0 });
		expect([part.all, part.count]).toEqual([1, 1]);
		expect(part.lines[0]!.words).toContain('Skerry');
		expect(JSON.stringify(part)).not.toContain('Northgate');
		expect((await branchFor(hers, posts, id)).cells).toBeNull();
		expect((await branchFor(maren, posts, id)).cells).toBe(2);
		// What she puts back is hers.
		expect(
			await putBackChanges({ ...hers, branch: await branchHere(hers, posts, id) }, posts, { ...everything, id, places: null })
		).toEqual({
			cells: 1
		});
		expect((await readChanges(maren, posts, { ...everything, id, from: 0 })).all).toBe(1);
	});
});

describe('files', () => {
	test('a workbook made in a branch is taken back there and nowhere else; a comparison goes out with its difference', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 'Coaches', 'Apr 2027', '81');
		await save(mine);
		const book = await formWorkbook(mine, MODEL, FORM, choices());
		const bytes = Buffer.from(book.bytes);
		expect((await readWorkbook(mine, MODEL, FORM, bytes)).changes).toEqual([]);
		expect((await faultOf(readWorkbook(osric, MODEL, FORM, bytes))).message).toMatch(/made in a branch/);
		const { bytes: compared, name } = await comparisonFile(osric, MODEL, { form: FORM, choices: choices(), sides: ['plan', `b${id}`] });
		expect(name).toMatch(/^Route contribution, Plan and Try \d+$/);
		const workbook = new ExcelJS.Workbook();
		await workbook.xlsx.load(Buffer.from(compared) as never);
		const sheet = workbook.getWorksheet('Comparison')!;
		const row = sheet.getColumn(1).values.findIndex((value) => String(value).trim() === 'Coaches');
		const column = (sheet.getRow(4).values as unknown[]).indexOf('Apr 2027');
		const [plan, branch, difference] = [0, 1, 2].map((at) => Number(sheet.getRow(row).getCell(column + at).value));
		expect(branch).toBe(81);
		expect(difference).toBeCloseTo(81 - plan!, 9);
		// What is not saved in it is told on its page.
		await type(mine, 'Coaches', 'Apr 2027', '82');
		expect((await branchFor(osric, MODEL, id)).drafts).toEqual([{ name: 'Osric Hale', cells: 1 }]);
	});
});
