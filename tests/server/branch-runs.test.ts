import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import {
	asksInBranch,
	branchHere,
	branchNames,
	checkBranchRuns,
	compare,
	copyBranch,
	makeBranch,
	mergeBranch,
	putBackRun,
	readBranchRuns,
	runAgain,
	runInBranch,
	setBranchState,
	snapshotsFor,
	takeBackMerge
} from '../../src/lib/server/branch';
import { enterFigures, inspectFigure, openForm, runFromForm, runsOfForm, saveDraft, tryFromForm } from '../../src/lib/server/form';
import { createRunbook, latestRuns, readRun, saveRunbook, startRun, takeBackRun, type StepDraft } from '../../src/lib/server/runbook';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let maren: SignedIn;
let osric: SignedIn;
let imke: SignedIn;
let tove: SignedIn;
const MODEL = 1;
const FORM = 'route-contribution';
const ids = new Map<string, number>();
const dimension = new Map<string, number>();
let twice: number;
/** What the stretch plan holds before anything is run. */
let stood: number;

beforeAll(async () => {
	house = await openHouse('branchruns');
	[maren, osric, imke, tove] = (await Promise.all(['Maren', 'Osric', 'Imke', 'Tove'].map((name) => house.person(name, MODEL)))) as [
		SignedIn,
		SignedIn,
		SignedIn,
		SignedIn
	];
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		if (['Scenario', 'Line', 'Department', 'Period'].includes(name) || code === 'R06') ids.set(code, id);
		dimension.set(name, of);
	}
	twice = await makeRunbook('Twice the coaches', TWICE);
	stood = (await shown(osric))!;
});
afterAll(() => house.close());

const TWICE =
	'within Scenario: "Stretch plan FY2028–29", Version: Proposal, Line: Norlight\n  Coaches = Coaches{Scenario: "Budget FY2028"} * 2\nend';
async function makeRunbook(name: string, text: string, more: StepDraft[] = []): Promise<number> {
	const { id } = await createRunbook(maren, MODEL, { name });
	const step = { id: null, name: 'Twice', description: '', active: true, limits: {}, kind: 'formula', text } as StepDraft;
	const line = await house.database.pool.query<{ name: string }>('SELECT name FROM member WHERE id = $1', [ids.get('NOR')]);
	const steps = [{ ...step, text: text.replace('Line: Norlight', `Line: "${line.rows[0]!.name}"`) } as StepDraft, ...more];
	await saveRunbook(maren, MODEL, id, {
		...{ name, description: '', parameters: [], onRefused: 'skip', whenBusy: 'wait', runsAs: null, version: 1 },
		steps
	});
	return id;
}
const within = async (person: SignedIn, branch: number): Promise<SignedIn> => ({
	...person,
	branch: await branchHere(person, MODEL, branch)
});
const choices = (scenario = 'BUD28') => ({
	members: {
		[dimension.get('Line')!]: ids.get('NOR')!,
		[dimension.get('Route')!]: ids.get('R06')!,
		[dimension.get('Department')!]: ids.get('BK')!,
		[dimension.get('Scenario')!]: ids.get(scenario)!
	},
	currency: 'local'
});
async function look(person: SignedIn, scenario: string, row = 'Coaches', column = 'May 2027') {
	const { form } = await openForm(person, MODEL, FORM, choices(scenario));
	const [at, across] = [form.rows.findIndex(({ label }) => label === row), form.columns.findIndex(({ label }) => label === column)];
	return { form, row: at, column: across, cell: at * form.columns.length + across };
}
async function shown(person: SignedIn, scenario = 'STR', column = 'May 2027'): Promise<number | null> {
	const { form, cell } = await look(person, scenario, 'Coaches', column);
	return form.values[cell]!;
}
async function type(person: SignedIn, value: number, column = 'May 2027', scenario = 'BUD28'): Promise<void> {
	const { form, row, column: across } = await look(person, scenario, 'Coaches', column);
	const entries = [{ row, column: across, text: String(value) }];
	const { faults } = await enterFigures(person, MODEL, FORM, choices(scenario), { entries, structure: form.structure });
	expect(faults).toEqual([]);
	expect(await saveDraft(person, MODEL, FORM, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
}
let next = 0;
const made = async (people: { id: number; may: 'read' | 'work' }[] = []) =>
	(await makeBranch(osric, MODEL, { name: `Run ${++next}`, purpose: '', due: null, everybody: 'nothing', people })).id;
const runIn = async (branch: number, runbook = twice, person = osric) => runInBranch(person, MODEL, { id: branch, runbook, answers: {} });
const inPlan = async (runbook = twice) => startRun(maren, MODEL, runbook, { answers: {} });
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

describe('a run in a branch', () => {
	test('reads the branch and writes there alone; what the plan runs later does not show in it', async () => {
		const id = await made([{ id: imke.id, may: 'work' }]);
		const [mine, hers] = [await within(osric, id), await within(imke, id)];
		await type(mine, 700);
		const { run } = await runIn(id);
		expect(await readBranchRuns(osric, id)).toMatchObject([
			{ id: run, name: 'Twice the coaches', state: 'done', stands: true, outOfDate: false }
		]);
		expect([await shown(mine), await shown(hers), await shown(osric)]).toEqual([1_400, 1_400, stood]);
		// It is no run of the plan, and nothing of it is in the journal.
		expect((await latestRuns(MODEL)).map((each) => each.id)).not.toContain(run);
		expect((await readRun(osric, MODEL, run)).revision).toBeNull();
		const { form, cell, row, column } = await look(hers, 'STR');
		expect(form.branched).toContain(cell);
		const details = await inspectFigure(hers, MODEL, FORM, choices('STR'), row, column);
		expect(details.inBranch).toMatchObject({ base: stood, words: 'Run of “Twice the coaches”', person: 'Osric Hale' });
		const planned = await inPlan();
		const budget = await shown(osric, 'BUD28');
		expect(await shown(osric)).toBeCloseTo(2 * budget!, 4);
		expect(await shown(mine)).toBe(1_400);
		await takeBackRun(maren, MODEL, planned.run);
		expect([await shown(osric), await shown(mine)]).toEqual([stood, 1_400]);
	});

	test('is out of date when the plan or the branch moves beneath it, and runs again with one press', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const { run } = await runIn(id);
		expect((await checkBranchRuns(osric, MODEL, { id })).runs).toMatchObject([{ outOfDate: false }]);
		await type(osric, 321, 'Jun 2027');
		expect((await checkBranchRuns(osric, MODEL, { id })).runs).toMatchObject([{ id: run, outOfDate: true }]);
		await runAgain(osric, MODEL, { id, run });
		expect(await shown(mine, 'STR', 'Jun 2027')).toBe(642);
		const again = (await checkBranchRuns(osric, MODEL, { id })).runs;
		expect(again.map(({ stands, outOfDate }) => [stands, outOfDate])).toEqual([
			[true, false],
			[false, true]
		]);
		await type(mine, 50);
		expect((await checkBranchRuns(osric, MODEL, { id })).runs[0]).toMatchObject({ outOfDate: true });
	});

	test('is put back: the plan shows through again', async () => {
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 11);
		const { run } = await runIn(id);
		expect(await shown(mine)).toBe(22);
		const planned = await inPlan();
		expect((await putBackRun(osric, MODEL, { id, run })).cells).toBeGreaterThan(0);
		expect(await shown(mine)).toBe(await shown(osric));
		expect(await readBranchRuns(osric, id)).toMatchObject([{ state: 'taken back', stands: false }]);
		expect((await faultOf(putBackRun(osric, MODEL, { id, run }))).status).toBe(409);
		await takeBackRun(maren, MODEL, planned.run);
		expect(await shown(mine)).toBe(stood);
	});

	test('is merged by running in the plan after the figures, and taken back with them', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const before = await shown(osric, 'BUD28');
		await type(mine, 900);
		await runIn(id);
		const outcome = await mergeBranch(osric, MODEL, { ...everything, id });
		expect(outcome).toMatchObject({ kind: 'merged', cells: 1, left: 0, runs: [{ name: 'Twice the coaches' }] });
		expect([await shown(osric, 'BUD28'), await shown(osric)]).toEqual([900, 1_800]);
		expect((await faultOf(runIn(id))).message).toContain('has been merged');
		await takeBackMerge(osric, MODEL, { id });
		expect([await shown(osric, 'BUD28'), await shown(osric), await shown(mine)]).toEqual([before, stood, 1_800]);
	});

	test('goes into the plan with a part of the branch where it is named, and stays where it is not', async () => {
		const id = await made();
		const mine = await within(osric, id);
		const [may, june] = [await shown(osric, 'BUD28'), await shown(osric, 'BUD28', 'Jun 2027')];
		await type(mine, 910);
		await type(mine, 920, 'Jun 2027');
		const { run } = await runIn(id);
		const inJune = { ...everything, id, find: 'Jun 2027' };
		expect(await mergeBranch(osric, MODEL, inJune)).toMatchObject({ kind: 'merged', cells: 1, left: 1, runs: [] });
		expect([await shown(osric, 'BUD28', 'Jun 2027'), await shown(osric)]).toEqual([920, stood]);
		const named = await mergeBranch(osric, MODEL, { ...inJune, also: { runs: [run], loads: [] } });
		expect(named).toMatchObject({ kind: 'merged', revision: null, left: 1, runs: [{ name: 'Twice the coaches' }] });
		// The plan's figures, those of June merged, are what it ran on.
		expect(await shown(osric, 'STR', 'Jun 2027')).toBe(1_840);
		expect(await shown(osric)).toBeCloseTo(2 * may!, 4);
		expect(await shown(mine)).toBe(1_820);
		// The branch is open still: there is no merge of it to take back, but the run is one of the plan's.
		expect((await faultOf(takeBackMerge(osric, MODEL, { id }))).status).toBe(409);
		const [ran] = named.kind === 'merged' ? named.runs : [];
		await takeBackRun(maren, MODEL, (ran as { run: number }).run);
		await type(osric, june!, 'Jun 2027');
		expect(await shown(osric)).toBe(stood);
	});

	test('that cannot be run in the plan any more is told beside what is merged', async () => {
		const runbook = await makeRunbook('Soon gone', TWICE);
		const id = await made();
		await type(await within(osric, id), 60);
		await runIn(id, runbook);
		await house.database.pool.query('UPDATE run SET runbook_id = NULL WHERE runbook_id = $1', [runbook]);
		const outcome = await mergeBranch(osric, MODEL, { ...everything, id });
		expect(outcome).toMatchObject({
			kind: 'merged',
			cells: 1,
			runs: [{ name: 'Soon gone', fault: expect.stringContaining('has been deleted') as string }]
		});
		await takeBackMerge(osric, MODEL, { id });
	});

	test('of a branch with nothing typed is merged all the same', async () => {
		const id = await made();
		await runIn(id);
		expect(await mergeBranch(osric, MODEL, { ...everything, id })).toMatchObject({ kind: 'merged', revision: null, runs: [{}] });
		expect(await shown(osric)).not.toBe(stood);
		await takeBackMerge(osric, MODEL, { id });
		expect(await shown(osric)).toBe(stood);
	});

	test('is copied with the branch', async () => {
		const id = await made();
		await type(await within(osric, id), 5);
		await runIn(id);
		const copy = (await copyBranch(osric, MODEL, { id, name: 'A copy of a run' })).id;
		const there = await within(osric, copy);
		expect(await shown(there)).toBe(10);
		const [run] = await readBranchRuns(osric, copy);
		expect(run).toMatchObject({ stands: true });
		await putBackRun(osric, MODEL, { id: copy, run: run!.id });
		expect([await shown(there), await shown(await within(osric, id))]).toEqual([stood, 10]);
	});

	test('by a button of a form: run, and tried on what is typed', async () => {
		const id = await made([{ id: tove.id, may: 'work' }]);
		const hers = await within(tove, id);
		const [button] = await runsOfForm(hers, MODEL, FORM);
		expect(button).toMatchObject({ label: 'Open the stretch plan' });
		const asked = { runbook: button!.runbook, answers: { growth: 0.5 } };
		const stretched = await shown(tove);
		const { figures } = await tryFromForm(hers, MODEL, FORM, choices('STR'), asked);
		expect(figures).toBeGreaterThan(0);
		// Tried in the branch, the plan's draft shows nothing of it.
		expect((await openForm(tove, MODEL, FORM, choices('STR'))).form.trial).toBeNull();
		expect((await openForm(hers, MODEL, FORM, choices('STR'))).form.trial).not.toBeNull();
		await runFromForm(hers, MODEL, FORM, choices('STR'), asked);
		expect(await readBranchRuns(tove, id)).toMatchObject([{ person: 'Tove Brandal', state: 'done' }]);
		expect(await shown(tove)).toBe(stretched);
	});

	test('ends with a snapshot where a step takes one: of the plan, of the branch, each under a name of its own', async () => {
		const head = { id: null, name: 'Kept', description: '', active: true };
		const scenario = dimension.get('Scenario')!;
		const taking = {
			...{ ...head, kind: 'snapshot', called: 'After the coaches' },
			limits: { [scenario]: { kind: 'these', members: [ids.get('STR')!] } }
		} as StepDraft;
		const runbook = await makeRunbook('Twice, and kept', TWICE, [taking]);
		const id = await made();
		const mine = await within(osric, id);
		await type(mine, 40);
		const inBranch = await runIn(id, runbook);
		const planned = await inPlan(runbook);
		expect((await readRun(maren, MODEL, planned.run)).log[1]!.notes[0]).toContain('After the coaches');
		const taken = (await snapshotsFor(osric, MODEL)).filter(({ name }) => name.startsWith('After the coaches'));
		expect(taken.map(({ name, branch, through, part }) => [name, branch?.id ?? null, through, part])).toEqual([
			['After the coaches 2', null, 'Run of “Twice, and kept”', 'Stretch plan FY2028–29'],
			['After the coaches', id, 'Run of “Twice, and kept”', 'Stretch plan FY2028–29']
		]);
		const sides = await compare(osric, MODEL, { form: FORM, choices: choices('STR'), sides: taken.map(({ id: of }) => `s${of}`) });
		const at = sides.rows.findIndex(({ label }) => label === 'Coaches') * sides.columns.length;
		const may = at + sides.columns.findIndex(({ label }) => label === 'May 2027');
		expect(sides.sides.map(({ values }) => values[may])).toEqual([await shown(osric), 80]);
		// Who may not take one is told, and the run stands.
		expect((await house.database.pool.query('SELECT words FROM job ORDER BY id DESC LIMIT 2')).rows[0]!.words).toContain('taken:');
		await takeBackRun(maren, MODEL, planned.run);
		await putBackRun(osric, MODEL, { id, run: inBranch.run });
		const unnamed = { ...taking, called: ' ' } as StepDraft;
		const faulty = await makeRunbook('Unnamed', TWICE, [unnamed]);
		expect((await faultOf(runIn(id, faulty))).message).toContain('Say what the snapshot is to be called');
	});

	test('is for who may run and work there: others are told, and nothing is written', async () => {
		const id = await made([
			{ id: imke.id, may: 'read' },
			{ id: tove.id, may: 'work' }
		]);
		const lidia = await house.person('Lidia', MODEL);
		expect((await faultOf(runIn(id, twice, lidia))).status).toBe(403);
		expect((await faultOf(runAgain(lidia, MODEL, { id, run: 1 }))).status).toBe(404);
		// A planner runs what stands on forms, in a branch as in the plan.
		expect((await faultOf(runIn(id, twice, tove))).status).toBe(403);
		expect((await faultOf(asksInBranch(tove, MODEL, { id, runbook: twice }))).status).toBe(403);
		const { run } = await runIn(id);
		expect((await faultOf(runAgain(imke, MODEL, { id, run }))).status).toBe(409);
		expect((await faultOf(putBackRun(imke, MODEL, { id, run }))).status).toBe(409);
		// Its log tells amounts of the branch: to who may look at it.
		const vera = await house.person('Vera', MODEL);
		expect(vera.permissions).toContain('rule.read');
		expect((await faultOf(readRun(vera, MODEL, run))).status).toBe(404);
		expect((await branchNames(vera, MODEL)).map((each) => each.id)).not.toContain(id);
		expect((await branchNames(imke, MODEL)).map((each) => each.id)).toContain(id);
		expect((await readRun(osric, MODEL, run)).log).toHaveLength(1);
		expect(await runsOfForm(await within(imke, id), MODEL, FORM)).toEqual([]);
		await setBranchState(osric, MODEL, { id, state: 'frozen' });
		expect(await runsOfForm(await within(tove, id), MODEL, FORM)).toEqual([]);
		expect((await faultOf(runIn(id))).message).toContain('frozen');
		expect((await faultOf(putBackRun(osric, MODEL, { id, run }))).status).toBe(409);
		expect((await faultOf(runAgain(osric, MODEL, { id: id + 1_000, run }))).status).toBe(404);
	});
});
