import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import {
	branchFor,
	branchHere,
	branchTerms,
	readChanges,
	changeBranch,
	checkLoad,
	copyBranch,
	loadInto,
	makeBranch,
	mergeBranch,
	putBackLoad,
	readBranchLoads,
	setBranchState,
	takeBackMerge,
	takeSnapshot,
	compare
} from '../../src/lib/server/branch';
import { actOnNote, enterFigures, inspectFigure, markedCells, openForm, readBeside, writeNote } from '../../src/lib/server/form';
import {
	keepFile,
	listImports,
	loadFile,
	readBatch,
	reloadRejects,
	rowsOfCell,
	startTakeBack,
	stopDataThread
} from '../../src/lib/server/import';
import { whyDifferent } from '../../src/lib/server/insight';
import { axesOf, type InsightAxis } from '../../src/lib/server/insight/axes';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let maren: SignedIn;
let osric: SignedIn;
let axes: InsightAxis[];
const MODEL = 1;
const member = new Map<string, number>();
const dimension = new Map<string, number>();

beforeAll(async () => {
	house = await openHouse('branchterms');
	[maren, osric] = (await Promise.all(['Maren', 'Osric'].map((name) => house.person(name, MODEL)))) as [SignedIn, SignedIn];
	axes = await axesOf(osric, MODEL);
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		member.set(`${name}/${code}`, id);
		dimension.set(name, of);
	}
});
afterAll(async () => {
	await stopDataThread();
	await house.close();
});

const within = async (person: SignedIn, branch: number): Promise<SignedIn> => ({
	...person,
	branch: await branchHere(person, MODEL, branch)
});
let next = 0;
type Terms = Partial<Parameters<typeof makeBranch>[2]>;
const made = async (more: Terms = {}, by = maren) =>
	(await makeBranch(by, MODEL, { name: `Terms ${++next}`, purpose: '', due: null, everybody: 'work', people: [], ...more })).id;

/** A figure of the plan and of the branch somebody is in. */
async function both(person: SignedIn, at: Record<string, string>, currency = 'EUR'): Promise<[number | null, number | null]> {
	const ordered = [...axes.filter(({ kind }) => kind !== 'period'), ...axes.filter(({ kind }) => kind === 'period')];
	const place = ordered.map(({ name, top }) => (at[name] === undefined ? top : member.get(`${name}/${at[name]}`)!));
	expect(place).not.toContain(undefined);
	const { before, after, exchange } = await whyDifferent(person, MODEL, { place, against: 'plan', currency, dimension: null, at: {} });
	apart = exchange;
	return [before, after];
}
/** The exchange in the last difference. */
let apart: number;

const byLine = (one: { account: string; scenario: string; period: string }, other: typeof one) =>
	`${one.account} ${one.scenario} ${one.period}`.localeCompare(`${other.account} ${other.scenario} ${other.period}`);

describe('a branch at rates of its own', () => {
	test('translates at them, in forms too; the plan and its other scenarios do not', async () => {
		const { rates, ratesInUse } = await branchTerms(maren, MODEL);
		expect(rates.length).toBeGreaterThan(1);
		const budget = ratesInUse.find(({ name }) => name === 'Budget rates FY2028')!;
		const other = rates.find(({ name }) => name === 'Budget rates FY2027')!;
		const id = await made({ rates: { of: budget.id, by: other.id } });
		const mine = await within(maren, id);
		expect(await branchFor(maren, MODEL, id)).toMatchObject({ rates: { ofName: budget.name, byName: other.name } });
		// Nothing is typed in it yet: merged, the plan would show what it shows now.
		const { totals, atPlanRates } = await readChanges(maren, MODEL, {
			id,
			find: '',
			account: null,
			person: null,
			movedOnly: false,
			from: 0
		});
		expect(atPlanRates.length).toBeGreaterThan(2);
		const turned = totals.map(({ before, after, ...line }) => ({ ...line, before: after, after: before }));
		expect([...atPlanRates].sort(byLine)).toEqual([...turned].sort(byLine));
		const at = { Scenario: 'BUD28', Period: '2027-05', Line: 'NOR', Account: '4010' };
		const [plan, branch] = await both(mine, at);
		expect(plan).not.toBeNull();
		expect(branch).not.toBeCloseTo(plan!, 0);
		expect(apart).toBeCloseTo(branch! - plan!, 2);
		expect(await both(mine, at, 'local')).toEqual([expect.any(Number), expect.any(Number)]);
		const [local, own] = await both(mine, at, 'local');
		expect(own).toBe(local);
		// Taken away again, both are the same, also for a form that was open.
		await changeBranch(maren, MODEL, { id, name: `Terms ${next}`, purpose: '', due: null, everybody: 'work', people: [], rates: null });
		const [one, two] = await both(mine, at);
		expect(two).toBe(one);
	});

	test('is told of sets that are none, and of the same one twice', async () => {
		const [set] = (await branchTerms(maren, MODEL)).rates;
		expect(await faultOf(made({ rates: { of: set!.id, by: set!.id } }))).toMatchObject({ message: 'Choose two different rate sets.' });
		expect(await faultOf(made({ rates: { of: set!.id, by: 999_999 } }))).toMatchObject({ status: 422 });
	});

	test('a snapshot of it keeps its rates', async () => {
		const { rates, ratesInUse } = await branchTerms(maren, MODEL);
		const budget = ratesInUse.find(({ name }) => name === 'Budget rates FY2028')!;
		const id = await made({ rates: { of: budget.id, by: rates.find(({ name }) => name === 'Budget rates FY2027')!.id } });
		const scenario = dimension.get('Scenario')!;
		const { id: kept } = await takeSnapshot(maren, MODEL, {
			name: 'At other rates',
			purpose: '',
			part: { [scenario]: [member.get('Scenario/BUD28')!] },
			branch: id
		});
		await changeBranch(maren, MODEL, { id, name: `Terms ${next}`, purpose: '', due: null, everybody: 'work', people: [], rates: null });
		const found = await compare(maren, MODEL, {
			form: 'route-contribution',
			choices: { members: { [dimension.get('Line')!]: member.get('Line/NOR')! }, currency: 'EUR' },
			sides: ['plan', `s${kept}`]
		} as never);
		const [plan, then] = found.sides;
		const pairs = plan!.values.map((value, at) => [value, then!.values[at]!] as const).filter(([one, two]) => one && two !== null);
		expect(pairs.some(([one, two]) => Math.abs(two! / one! - 1) > 1e-6)).toBe(true);
	});
});

describe('a branch limited to a part', () => {
	test('takes figures there and nowhere else, and says why', async () => {
		const id = await made({ part: { [dimension.get('Line')!]: [member.get('Line/SKE')!] } });
		expect((await branchFor(maren, MODEL, id)).partWords).not.toBe('');
		const mine = await within(osric, id);
		const type = async (line: string) => {
			const choices = {
				members: { [dimension.get('Line')!]: member.get(`Line/${line}`)!, [dimension.get('Department')!]: member.get('Department/BK')! },
				currency: 'local'
			};
			const { form } = await openForm(mine, MODEL, 'route-contribution', choices);
			const row = form.rows.findIndex(({ label }) => label === 'Coaches');
			const column = form.columns.findIndex(({ label }) => label === 'May 2027');
			const { faults } = await enterFigures(mine, MODEL, 'route-contribution', choices, {
				entries: [{ row, column, text: '4321' }],
				structure: form.structure
			});
			return faults[0]?.message;
		};
		expect(await type('SKE')).toBeUndefined();
		expect(await type('NOR')).toMatch(/^“Terms \d+” is limited to .*: nothing else is changed in it\.$/);
		// In the plan the same person writes there.
		expect(mine.branch!.part).not.toBeNull();
	});

	test('is limited to members of the model only', async () => {
		expect(await faultOf(made({ part: { [dimension.get('Line')!]: [999_999] } }))).toMatchObject({ status: 422 });
		expect(await faultOf(made({ part: { [dimension.get('Route')!]: [member.get('Line/SKE')!] } }))).toMatchObject({ status: 422 });
	});
});

const HEAD = 'Account;Unit;Route;Posting date;Text;Amount\n';
const row = (account: string, amount: string, unit = 'S-BK', date = '02.09.2026') => `${account};${unit};RT-01;${date};x;${amount}\n`;
async function* bytes(content: string) {
	yield new TextEncoder().encode(content);
}
const keep = async (content: string) => (await keepFile(maren, MODEL, 'ledger', 'try.csv', bytes(content))).id;
const loadIn = async (id: number, content: string, more: object = {}) =>
	loadInto(maren, MODEL, { id, import: 'ledger', file: await keep(content), chosen: {}, rejects: 'stop', again: false, ...more });
const sales = { Scenario: 'ACT', Version: 'FINAL', Account: '4010', Period: '2026-09' };
const inPlan = async (content: string) => loadFile(maren, MODEL, 'ledger', 'plan.csv', bytes(content), { again: true });
const everything = {
	find: '',
	account: null,
	person: null,
	movedOnly: false,
	places: null,
	decides: null,
	leavesRefused: false,
	also: { runs: [], loads: [] }
};

describe('a load into a branch', () => {
	test('replaces there what its import says, now and later, and the plan does not know of it', async () => {
		await inPlan(HEAD + row('7010', '100-') + row('7010', '50-', 'N-BK'));
		const id = await made();
		const mine = await within(maren, id);
		const [before] = await both(mine, sales);
		const looked = await checkLoad(maren, MODEL, {
			id,
			import: 'ledger',
			file: await keep(HEAD + row('7010', '70-')),
			chosen: {},
			allRows: true
		});
		expect(looked.rows).toMatchObject({ read: 1, loaded: 1, rejected: 0 });
		await loadIn(id, HEAD + row('7010', '70-'));
		const [loads] = [await readBranchLoads(maren, id)];
		expect(loads).toMatchObject([{ state: 'loaded', stands: true, words: 'try.csv: 1 row, Actual, Sep 2026', rejected: [] }]);
		const skerry = { ...sales, Line: 'SKE' };
		const norlight = { ...sales, Line: 'NOR' };
		const [planned, tried] = await both(mine, skerry, 'local');
		expect([planned, tried]).toEqual([100, 70]);
		// Only what the file says is kept: what it hides of the plan is not written down cell by cell.
		const kept = await house.database.pool.query('SELECT FROM branch_series WHERE branch_id = $1', [id]);
		expect(kept.rowCount).toBe(1);
		// Who may not look at loads hears nothing of files and rows.
		expect(await readBranchLoads({ ...osric, permissions: ['form.read'] }, id)).toEqual([]);
		// What the file does not say of its month is gone there.
		expect(await both(mine, norlight, 'local')).toEqual([50, null]);
		// The plan is loaded again: in the branch it does not show.
		await inPlan(HEAD + row('7010', '33-') + row('7010', '50-', 'N-BK'));
		expect(await both(mine, skerry, 'local')).toEqual([33, 70]);
		expect((await both(mine, norlight, 'local'))[1]).toBeNull();
		expect((await both(mine, sales))[0]).not.toBe(before);
		// Rows behind the cell are those of the branch there, and of the plan in the plan.
		const cell = await house.database.pool.query<{ address: number[]; period: number }>(
			`SELECT address, (SELECT id FROM member WHERE code = '2026-09' AND dimension_id = $2) AS period FROM branch_series WHERE branch_id = $1 LIMIT 1`,
			[id, dimension.get('Period')]
		);
		const { address, period } = cell.rows[0]!;
		expect((await rowsOfCell(mine, MODEL, { members: address, period })).map(({ total }) => Math.abs(total))).toEqual([70]);
		expect((await rowsOfCell(maren, MODEL, { members: address, period })).map(({ total }) => Math.abs(total))).toEqual([33]);
		// It is no batch of the plan.
		const batch = (await readBranchLoads(maren, id))[0]!.id;
		expect((await listImports(maren, MODEL)).find(({ code }) => code === 'ledger')!.lastBatch!.id).not.toBe(batch);
		expect(await faultOf(startTakeBack(maren, MODEL, batch, false))).toMatchObject({ message: expect.stringContaining('put back there') });
		// Put back, the plan shows again.
		expect(await putBackLoad(maren, MODEL, { id, batch })).toEqual({ cells: 1 });
		expect(await both(mine, skerry, 'local')).toEqual([33, 33]);
		expect(await faultOf(putBackLoad(maren, MODEL, { id, batch }))).toMatchObject({ status: 409 });
		expect((await readBranchLoads(maren, id))[0]).toMatchObject({ state: 'taken back', stands: false });
	});

	test('loaded again it replaces what it had loaded; the same file is warned of in this branch only', async () => {
		const id = await made();
		const mine = await within(maren, id);
		const file = HEAD + row('7010', '71-');
		await loadIn(id, file);
		expect(await faultOf(loadIn(id, file))).toMatchObject({ code: 'loaded before' });
		await loadIn(id, HEAD + row('7010', '72-', 'N-BK'));
		expect((await both(mine, { ...sales, Line: 'SKE' }, 'local'))[1]).toBeNull();
		expect((await both(mine, { ...sales, Line: 'NOR' }, 'local'))[1]).toBe(72);
		expect((await readBranchLoads(maren, id)).map(({ stands }) => stands)).toEqual([true, false]);
		const other = await made();
		await loadIn(other, file);
		expect((await readBranchLoads(maren, other)).length).toBe(1);
	});

	test('says what was rejected, and reloads no rejects on top', async () => {
		const id = await made();
		await loadIn(id, HEAD + row('7010', '1-') + row('9999', '5'));
		expect((await readBranchLoads(maren, id))[0]).toMatchObject({ state: 'stopped', rejected: [{ rows: 1 }] });
		await loadIn(id, HEAD + row('7010', '1-') + row('9999', '5'), { rejects: 'load good rows' });
		const [load] = await readBranchLoads(maren, id);
		expect(load).toMatchObject({ state: 'loaded', rejected: [{ message: 'Account: no member for “9999”.', rows: 1 }] });
		expect((await readBatch(maren, MODEL, load!.id)).batch.state).toBe('loaded');
		expect(await faultOf(reloadRejects(maren, MODEL, load!.id))).toMatchObject({ message: expect.stringContaining('into a branch') });
	});

	test('stays within what the branch is limited to', async () => {
		await inPlan(HEAD + row('7010', '33-') + row('7010', '50-', 'N-BK'));
		const id = await made({ part: { [dimension.get('Line')!]: [member.get('Line/SKE')!] } });
		const mine = await within(maren, id);
		await loadIn(id, HEAD + row('7010', '70-') + row('7010', '9-', 'N-BK'), { rejects: 'load good rows' });
		expect((await readBranchLoads(maren, id))[0]!.rejected[0]!.message).toMatch(/is limited to/);
		expect(await both(mine, { ...sales, Line: 'SKE' }, 'local')).toEqual([33, 70]);
		expect(await both(mine, { ...sales, Line: 'NOR' }, 'local')).toEqual([50, 50]);
	});

	test('extends nothing: what a scenario does not speak about is rejected there', async () => {
		const id = await made();
		await loadIn(id, HEAD + row('7010', '1-', 'S-BK', '02.03.2027'));
		const [load] = await readBranchLoads(maren, id);
		expect(load).toMatchObject({ state: 'stopped', rejected: [{ message: expect.stringContaining('Actual speaks about') }] });
	});

	test('is copied with the branch, and a frozen one takes none', async () => {
		const id = await made();
		await loadIn(id, HEAD + row('7010', '74-'));
		const { id: copy } = await copyBranch(maren, MODEL, { id, name: `Terms ${++next}` });
		const mine = await within(maren, copy);
		expect((await both(mine, { ...sales, Line: 'SKE' }, 'local'))[1]).toBe(74);
		const [load] = await readBranchLoads(maren, copy);
		expect(load).toMatchObject({ stands: true });
		await putBackLoad(maren, MODEL, { id: copy, batch: load!.id });
		expect((await both(mine, { ...sales, Line: 'SKE' }, 'local'))[1]).toBe(33);
		expect((await both(await within(maren, id), { ...sales, Line: 'SKE' }, 'local'))[1]).toBe(74);
		await setBranchState(maren, MODEL, { id, state: 'frozen' });
		expect(await faultOf(loadIn(id, HEAD + row('7010', '75-')))).toMatchObject({ status: 409 });
	});

	test('is loaded into the plan when the branch is merged, and taken back with it', async () => {
		const id = await made();
		await loadIn(id, HEAD + row('7010', '76-'));
		const outcome = await mergeBranch(maren, MODEL, { id, ...everything });
		expect(outcome).toMatchObject({ kind: 'merged', cells: 0, runs: [{ name: expect.any(String), run: expect.any(Number) }] });
		const mine = await within(maren, await made());
		expect((await both(mine, { ...sales, Line: 'SKE' }, 'local'))[0]).toBe(76);
		await takeBackMerge(maren, MODEL, { id });
		expect((await both(mine, { ...sales, Line: 'SKE' }, 'local'))[0]).toBe(33);
		expect((await branchFor(maren, MODEL, id)).state).toBe('open');
	});
});

describe('notes in a branch', () => {
	const chosen = () => ({
		members: { [dimension.get('Line')!]: member.get('Line/SKE')!, [dimension.get('Department')!]: member.get('Department/BK')! },
		currency: 'local'
	});
	test('are seen there, and in the plan once it is merged', async () => {
		const imke = await house.person('Imke', MODEL);
		const id = await made({ everybody: 'work' });
		const [mine, hers] = [await within(osric, id), await within(imke, id)];
		const { form } = await openForm(mine, MODEL, 'route-contribution', chosen());
		const [row, column] = [
			form.rows.findIndex(({ label }) => label === 'Coaches'),
			form.columns.findIndex(({ label }) => label === 'May 2027')
		];
		const { place } = await inspectFigure(mine, MODEL, 'route-contribution', chosen(), row, column);
		const planned = await writeNote(osric, MODEL, 'route-contribution', { place, text: 'Of the plan' });
		const ofPlan = planned.threads.at(-1)!.id;
		const { threads } = await writeNote(mine, MODEL, 'route-contribution', { place, text: 'What if? @Imke Solheim' });
		expect(threads.map(({ text, isHere }) => [text, isHere]).slice(-2)).toEqual([
			['Of the plan', false],
			['What if? @Imke Solheim', true]
		]);
		const count = async (person: SignedIn) =>
			(await markedCells(person, MODEL, 'route-contribution', chosen())).find(({ cell }) => cell === row * form.columns.length + column)
				?.notes;
		expect(await count(mine)).toBe((await count(osric))! + 1);
		expect((await readBeside(hers, MODEL, place)).threads.at(-1)!.text).toBe('What if? @Imke Solheim');
		expect((await readBeside(osric, MODEL, place)).threads.at(-1)!.text).toBe('Of the plan');
		// The plan's note is not resolved from within; answered, only the branch hears of it.
		expect(await faultOf(actOnNote(mine, MODEL, { place, note: ofPlan, act: 'resolve' }))).toMatchObject({ status: 404 });
		await writeNote(mine, MODEL, 'route-contribution', { place, text: 'Tried it', thread: ofPlan });
		expect((await readBeside(osric, MODEL, place)).threads.at(-1)!.answers).toEqual([]);
		expect((await readBeside(mine, MODEL, place)).threads.at(-2)!.answers).toMatchObject([{ text: 'Tried it' }]);
		await house.database.pool.query("UPDATE branch SET state = 'merged' WHERE id = $1", [id]);
		expect((await readBeside(osric, MODEL, place)).threads.at(-1)).toMatchObject({ text: 'What if? @Imke Solheim', isHere: true });
	});
});
