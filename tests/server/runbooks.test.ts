import { mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { closePool, transaction } from '../../src/lib/server/database';
import { modelVersions } from '../../src/lib/server/database/structure-version';
import { askEngine, stopEngines } from '../../src/lib/server/engine';
import {
	checkAllRunbooks,
	checkScriptText,
	copyRunbook,
	createRunbook,
	deleteRunbook,
	previewRun,
	readRun,
	readRunbook,
	runRunbook,
	saveRunbook,
	setRunbookSchedule,
	startDueRunbooks,
	startRun,
	takeBackRun,
	type StepDraft
} from '../../src/lib/server/runbook';
import {
	endTrialOf,
	enterFigures,
	markedCells,
	openForm,
	runFromForm,
	runsOfForm,
	saveDraft,
	tryFromForm
} from '../../src/lib/server/form';
import { editImport } from '../../src/lib/server/import';
import { stepSchema } from '../../src/lib/server/runbook/schema';
import type { SignedIn } from '../../src/lib/server/session';
import { createFromPackage, exportPackage, readPackage } from '../../src/lib/server/package';
import { usesOfMember } from '../../src/lib/server/structure/used';
import { expectJournalHolds, followModel, freshDatabase, peopleOf } from './demo-database';
import { putLock } from './locked';
import { handOverRunbooks } from '../../src/lib/server/runbook/naming';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let people = new Map<string, SignedIn>();
const ids = new Map<string, number>();

let expectFollowed: () => Promise<void>;

beforeAll(async () => {
	database = await freshDatabase('runbooks', { demo: true });
	process.env.DATABASE_URL = database.url;
	expectFollowed = await followModel(database.url);
	people = await peopleOf(database.pool);
	const members = await database.pool.query<{ id: number; code: string; dimension: string; of: number }>(
		'SELECT m.id, m.code, d.code AS dimension, d.id AS of FROM member m JOIN dimension d ON d.id = m.dimension_id'
	);
	for (const { id, code, dimension, of } of members.rows) {
		ids.set(`${dimension} ${code}`, id);
		ids.set(dimension, of);
	}
});
afterAll(async () => {
	await stopEngines();
	await closePool();
	await database.close();
});

const maren = () => people.get('Maren')!;
const only = (key: string) => ({ [ids.get(key.split(' ')[0]!)!]: { kind: 'these' as const, members: [ids.get(key)!] } });
const formula = (text: string, more: Partial<StepDraft> = {}): StepDraft =>
	({ id: null, name: 'A formula', description: '', active: true, limits: {}, kind: 'formula', text, ...more }) as StepDraft;
const head = { description: '', parameters: [], onRefused: 'skip' as const, whenBusy: 'wait' as const, runsAs: null };

async function make(name: string, steps: StepDraft[], more: object = {}): Promise<number> {
	const { id } = await createRunbook(maren(), 1, { name });
	await saveRunbook(maren(), 1, id, { ...head, name, steps, version: 1, ...more });
	return id;
}
async function run(id: number, answers: Record<string, number> = {}, person = maren()) {
	const { run } = await startRun(person, 1, id, { answers });
	return readRun(person, 1, run);
}
const stored = async (account: string, scenario: string, versions = ['WORK']) =>
	(
		await database.pool.query<{ sum: number | null }>(
			`SELECT sum(amount) AS sum FROM cells_1 c, unnest(c.amounts) AS amount WHERE d${ids.get('account')} = $1 AND d${ids.get('scenario')} = $2 AND d${ids.get('version')} = ANY ($3)`,
			[ids.get(`account ${account}`), ids.get(`scenario ${scenario}`), versions.map((code) => ids.get(`version ${code}`))]
		)
	).rows[0]!.sum;
const SCRIPT =
	'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Sailings = Sailings{Scenario: "Budget FY2028"} * 2 -- twice as many\nend';

describe('a runbook', () => {
	test('is kept with its scripts by members, so that a rename does not break it', async () => {
		const id = await make('Kept', [formula(SCRIPT)]);
		const before = await readRunbook(maren(), 1, id);
		expect(before.steps[0]).toMatchObject({ kind: 'formula', text: SCRIPT });
		expect(before.findings.filter(({ severity }) => severity === 'error')).toEqual([]);
		await database.pool.query("UPDATE member SET name = 'Departures' WHERE code = 'S10'");
		await database.pool.query('UPDATE model SET structure_version = structure_version + 1');
		const after = await readRunbook(maren(), 1, id);
		expect((after.steps[0] as { text: string }).text).toBe(SCRIPT.replaceAll('Sailings', 'Departures'));
		await database.pool.query("UPDATE member SET name = 'Sailings' WHERE code = 'S10'");
		await database.pool.query('UPDATE model SET structure_version = structure_version + 1');
		await deleteRunbook(maren(), 1, id);
	});

	test('whose steps are put into another order shows at once what stands by that order', async () => {
		const id = await make('In order', [formula(SCRIPT, { name: 'Two' }), formula(SCRIPT.replace('* 2', '* 3'), { name: 'Three' })]);
		await run(id);
		const shown = async () => {
			const slice = Object.fromEntries(
				(['account S10', 'scenario STR', 'version WORK'] as const).map((key) => [ids.get(key.split(' ')[0]!)!, [ids.get(key)!]])
			);
			const { amounts } = await askEngine(1, 'leafCells', { ...(await modelVersions(database.pool, 1)), slice });
			return amounts.reduce((sum, amount) => sum + amount, 0);
		};
		const before = await shown();
		expect(before).toBeGreaterThan(0);
		const { steps, version, ...rest } = await readRunbook(maren(), 1, id);
		await saveRunbook(maren(), 1, id, { ...head, name: rest.name, steps: steps.toReversed(), version });
		const after = await shown();
		expect(after).toBeLessThan(before);
		// As an engine says that is opened now.
		await stopEngines();
		expect(await shown()).toBeCloseTo(after, 6);
		const runs = await database.pool.query<{ id: number }>('SELECT id FROM run WHERE runbook_id = $1', [id]);
		for (const each of runs.rows) await takeBackRun(maren(), 1, each.id);
		await deleteRunbook(maren(), 1, id);
	});

	test('of two people saving, the second one is told; names are unique; copies are named', async () => {
		const id = await make('Twice', []);
		await expect(saveRunbook(maren(), 1, id, { ...head, name: 'Twice', steps: [], version: 1 })).rejects.toMatchObject({ status: 409 });
		await expect(createRunbook(maren(), 1, { name: 'Twice' })).rejects.toThrow('There is a runbook “Twice” already');
		const copy = await copyRunbook(maren(), 1, id);
		expect((await readRunbook(maren(), 1, copy.id)).name).toBe('Twice, copy');
	});

	test('is for those who may, whoever calls', async () => {
		for (const act of [
			() => createRunbook(people.get('Tove'), 1, { name: 'No' }),
			() => checkAllRunbooks(people.get('Tove'), 1),
			() => startRun(people.get('Vera'), 1, 1, { answers: {} }),
			// A planner runs what stands on her forms, and nothing past them.
			() => runRunbook(people.get('Tove'), 1, 1, { answers: { growth: 0 } })
		])
			await expect(act()).rejects.toMatchObject({ status: 403 });
		await expect(readRunbook(undefined, 1, 1)).rejects.toMatchObject({ status: 401 });
		await expect(readRunbook(maren(), 1, 999_999)).rejects.toMatchObject({ status: 404 });
	});
});

describe('a run', () => {
	test('is previewed without a trace, writes, changes nothing the second time, and goes back whole', async () => {
		const id = await make('Double', [formula(SCRIPT)]);
		const details = await readRunbook(maren(), 1, id);
		const budget = await stored('S10', 'BUD28');
		const before = await stored('S10', 'STR');
		const preview = await previewRun(maren(), 1, id, {
			answers: {},
			draft: { ...head, name: 'Double', steps: details.steps, version: details.version },
			only: null,
			onDraft: false
		});
		expect(preview.cells).toBeGreaterThan(100);
		expect(preview.samples[0]!.words).toContain('Sailings');
		expect(await stored('S10', 'STR')).toBe(before);
		const first = await run(id);
		expect(first).toMatchObject({ state: 'done', cells: preview.cells });
		const after = await stored('S10', 'STR');
		expect(after! - (before ?? 0)).toBeCloseTo(budget! * 2, 4);
		expect(first.log[0]).toMatchObject({ name: 'A formula', kind: 'formula', skipped: 0 });
		const second = await run(id);
		expect(second).toMatchObject({ state: 'done', cells: 0, revision: null });
		await takeBackRun(maren(), 1, first.id);
		expect(await stored('S10', 'STR')).toBe(before);
		expect((await readRun(maren(), 1, first.id)).state).toBe('taken back');
		await expect(takeBackRun(maren(), 1, first.id)).rejects.toMatchObject({ status: 404 });
	});

	test('marks the cells of a form that show its result, with its name, and says when it is out of date', async () => {
		const id = await make('Twice as often', [formula(SCRIPT)]);
		const done = await run(id);
		const dimensions = ['line', 'department', 'route', 'version', 'scenario'].filter((key) => ids.get(key) !== undefined);
		const columns = dimensions.map((key) => `d${ids.get(key)} AS "${ids.get(key)}"`).join(', ');
		const [where] = (
			await database.pool.query<Record<string, number>>(
				`SELECT ${columns} FROM cells_1 WHERE d${ids.get('account')} = $1 AND d${ids.get('scenario')} = $2 LIMIT 1`,
				[ids.get('account S10'), ids.get('scenario STR')]
			)
		).rows;
		const choices = { members: where! };
		const { form } = await openForm(maren(), 1, 'route-contribution', choices);
		const row = form.rows.findIndex(({ label }) => label === 'Sailings');
		const marks = async () => (await markedCells(maren(), 1, 'route-contribution', choices, true)).filter(({ result }) => result);
		const found = await marks();
		expect(found.length).toBeGreaterThan(0);
		expect(new Set(found.map(({ cell }) => Math.floor(cell / form.columns.length)))).toEqual(new Set([row]));
		expect(found[0]!.result).toMatchObject({ words: expect.stringMatching(/^Result of “Twice as often”, run on/), outOfDate: false });
		expect(await markedCells(maren(), 1, 'route-contribution', choices)).toEqual([]);
		await database.pool.query('UPDATE run SET out_of_date = true WHERE runbook_id = $1', [id]);
		expect((await marks())[0]!.result).toMatchObject({ words: expect.stringContaining('out of date'), outOfDate: true });
		await takeBackRun(maren(), 1, done.id);
		expect(await marks()).toEqual([]);
		await deleteRunbook(maren(), 1, id);
	});

	test('with another number stands in place of the last one', async () => {
		const parameters = [{ name: 'factor', label: 'Factor', kind: 'number' as const, dimension: null, choices: null, initial: 1 }];
		const text =
			'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Coaches = Coaches{Scenario: "Budget FY2028"} * $factor\nend';
		const id = await make('Factor', [formula(text)], { parameters });
		const before = (await stored('4030', 'STR')) ?? 0;
		expect((await run(id, { factor: 1 })).log[0]).toMatchObject({ reasons: [], missingRates: 0 });
		const first = (await stored('4030', 'STR'))!;
		await run(id, { factor: 1 });
		expect(await stored('4030', 'STR')).toBe(first);
		const once = (await stored('4030', 'STR'))! - before;
		expect(once).toBeGreaterThan(0);
		expect((await run(id, { factor: 2 })).log[0]!.reasons).toEqual([]);
		expect((await stored('4030', 'STR'))! - before).toBeCloseTo(once * 2, 2);
		await expect(startRun(maren(), 1, id, { answers: {} })).rejects.toThrow('Choose Factor');
	});

	test('that something has been written over does not go back, and says through what', async () => {
		const text = 'within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Cars = Cars{Scenario: "Budget FY2028"}\nend';
		const id = await make('Overwritten', [formula(text)]);
		const first = await run(id);
		const { steps, version } = await readRunbook(maren(), 1, id);
		await saveRunbook(maren(), 1, id, {
			...head,
			name: 'Overwritten',
			steps: [{ ...steps[0]!, text: text.replace('"}', '"} * 3') } as StepDraft],
			version
		});
		const second = await run(id);
		await expect(takeBackRun(maren(), 1, first.id)).rejects.toThrow('written anew since, through “Overwritten”');
		await takeBackRun(maren(), 1, second.id);
		await takeBackRun(maren(), 1, first.id);
	});

	test('does not go back over a lock that came since, and goes back when it is open again', async () => {
		const id = await make('Locked since', [
			formula('within Scenario: "Stretch plan FY2028–29", Version: Proposal\n  Passengers = Passengers{Scenario: "Budget FY2028"}\nend')
		]);
		const done = await run(id);
		const after = await stored('S30', 'STR');
		const unlock = await putLock(1, { name: 'Closed since' });
		await expect(takeBackRun(maren(), 1, done.id)).rejects.toThrow('Closed since');
		expect(await stored('S30', 'STR')).toBe(after);
		await unlock();
		await takeBackRun(maren(), 1, done.id);
		expect(await stored('S30', 'STR')).not.toBe(after);
	});

	test('leaves out what locks close and lists it', async () => {
		const text = 'within Scenario: Actual, Period: "Sep 2026"\n  Coaches = Coaches{Month - 1}\nend';
		const id = await make('Closed', [formula(text)]);
		const unlock = await putLock(1, { name: 'All closed' });
		const done = await run(id);
		expect(done).toMatchObject({ state: 'done', cells: 0 });
		expect(done.log[0]!.skipped).toBeGreaterThan(0);
		expect(done.log[0]!.reasons[0]!.reason).toContain('All closed');
		await unlock();
	});

	test('with a fault does not begin, and says which step', async () => {
		const id = await make('Faulty', [formula('Coaches = Coachez * 2', { name: 'Busy coaches' } as Partial<StepDraft>)]);
		await expect(startRun(maren(), 1, id, { answers: {} })).rejects.toThrow('Busy coaches: No member “Coachez”');
		const found = await checkAllRunbooks(maren(), 1);
		expect(found.filter(({ name }) => name === 'Faulty')[0]).toMatchObject({ step: 'Busy coaches' });
		await deleteRunbook(maren(), 1, id);
	});

	test('copies, shifts and clears on the stored cells', async () => {
		const copy: StepDraft = {
			id: null,
			name: 'Copy',
			description: '',
			active: true,
			kind: 'copy',
			from: { ...only('scenario ACT'), ...only('account S30') },
			onto: { [ids.get('scenario')!]: ids.get('scenario STR')!, [ids.get('version')!]: ids.get('version WORK')! },
			shift: { level: 'year', by: 2 },
			factor: 1,
			limits: {}
		};
		const id = await make('Copied', [copy]);
		const before = (await stored('S30', 'STR')) ?? 0;
		const done = await run(id);
		// Two years later the first year of Actual lies before the plan: said, and nothing is written where nobody would see it.
		expect(done.log[0]!.reasons).toEqual([{ reason: '“Stretch plan FY2028–29” has no such period.', cells: 120 }]);
		expect(done.cells).toBeGreaterThan(0);
		expect((await stored('S30', 'STR'))!).toBeGreaterThan(before);
		const clear = await make('Swept', [
			{
				id: null,
				name: 'Sweep',
				description: '',
				active: true,
				kind: 'clear',
				what: ['results'],
				limits: { ...only('scenario STR'), ...only('account S30') }
			}
		]);
		expect((await run(clear)).cells).toBe(done.cells);
		expect((await stored('S30', 'STR')) ?? 0).toBeCloseTo(before, 6);
	});

	test('copies by a table of members, which counts as naming them and follows when one is replaced', async () => {
		const account = ids.get('account')!;
		const table: StepDraft = {
			id: null,
			name: 'By table',
			description: '',
			active: true,
			kind: 'copy',
			from: { ...only('scenario BUD28'), ...only('account S30'), ...only('version WORK') },
			onto: {
				[ids.get('scenario')!]: ids.get('scenario STR')!,
				[account]: { map: { lines: [{ from: ids.get('account S30')!, to: ids.get('account S10')!, reverse: true }], others: 'left out' } }
			},
			shift: null,
			factor: 1,
			limits: {}
		};
		const id = await make('By table', [table]);
		const before = (await stored('S10', 'STR')) ?? 0;
		const read = (await stored('S30', 'BUD28'))!;
		await run(id);
		expect(read).toBeGreaterThan(0);
		expect((await stored('S10', 'STR')) ?? 0).toBeCloseTo(before - read, 4);
		const uses = await usesOfMember(database.pool, account, ids.get('account S30')!);
		expect(uses.filter(({ kind }) => kind === 'runbook').map(({ name }) => name)).toContain('By table');
		await transaction((client) =>
			handOverRunbooks(client, (member) => (member === ids.get('account S30') ? ids.get('account S20')! : member))
		);
		const { steps } = await readRunbook(maren(), 1, id);
		expect(steps[0]).toMatchObject({
			onto: { [account]: { map: { lines: [{ from: ids.get('account S20'), to: ids.get('account S10') }] } } }
		});
		expect(stepSchema.safeParse(table).success).toBe(true);
		const many = Array(5_001).fill({ from: 1, to: 2, reverse: false });
		expect(
			stepSchema.safeParse({ ...table, onto: { [account]: { map: { lines: many, others: 'stay' } } } }).error?.issues[0]?.message
		).toContain('5,000');
	});
});

describe('a form', () => {
	test('shows in the draft what a run would leave, as the run then does; typing over it, saving and stopping end it', async () => {
		const tove = people.get('Tove')!;
		const stretch = { members: { [ids.get('scenario')!]: ids.get('scenario STR')!, [ids.get('period')!]: ids.get('period FY2029')! } };
		const open = async () => (await openForm(tove, 1, 'route-contribution', stretch)).form;
		const [button] = await runsOfForm(tove, 1, 'route-contribution');
		const asked = { runbook: button!.runbook, answers: { growth: 0.5 } };
		const base = await open();
		expect([base.trial, base.tried]).toEqual([null, []]);
		const { figures } = await tryFromForm(tove, 1, 'route-contribution', stretch, asked);
		expect(figures).toBeGreaterThan(0);
		const tried = await open();
		expect(tried).toMatchObject({ trial: { name: 'Open the stretch plan', isBehind: false }, revision: base.revision, draftSize: 0 });
		expect(tried.values).not.toEqual(base.values);
		// Only cells that are marked differ, but for what is computed from them.
		const row = tried.rows.findIndex(({ label }) => label === 'Sailings');
		const width = tried.columns.length;
		expect(tried.tried).toContain(row * width);
		// The run itself leaves the very same.
		await endTrialOf(tove, 1);
		expect((await open()).values).toEqual(base.values);
		const { run: done } = await runFromForm(tove, 1, 'route-contribution', stretch, asked);
		const after = await open();
		after.values.forEach((value, cell) => expect(value ?? 0).toBeCloseTo(tried.values[cell] ?? 0, 6));
		await takeBackRun(tove, 1, done);

		// What is typed stands above what is tried, and both are gone with the save and its taking back.
		await tryFromForm(tove, 1, 'route-contribution', stretch, asked);
		const shown = await open();
		const cell = shown.tried.find((place) => Math.floor(place / width) === row && place % width < 3)!;
		const typed = await enterFigures(tove, 1, 'route-contribution', stretch, {
			entries: [{ row, column: cell % width, text: '1000' }],
			structure: shown.structure
		});
		expect(typed.faults).toEqual([]);
		expect(typed.form.values[cell]).toBeCloseTo(1_000, 6);
		expect(typed.form.trial).toEqual({ name: 'Open the stretch plan', isBehind: true });
		const beside = shown.tried.find((place) => Math.floor(place / width) === row && place !== cell && place % width < 3)!;
		expect(typed.form.values[beside]).toBe(shown.values[beside]);
		expect(await saveDraft(tove, 1, 'route-contribution', { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
		const saved = await open();
		expect([saved.trial, saved.tried]).toEqual([null, []]);
		expect(saved.values[cell]).toBeCloseTo(1_000, 6);
		expect(saved.values[beside]).toBe(base.values[beside]);
		// Who may run nothing tries nothing; another form's runbook is none of this one's.
		await expect(tryFromForm(people.get('Vera'), 1, 'route-contribution', stretch, asked)).rejects.toThrow();
		await expect(tryFromForm(tove, 1, 'dry-docking', stretch, { ...asked, runbook: 1_000_000 })).rejects.toThrow('no such runbook');
	});

	test('runs its own runbooks only, for what it shows, and asks for the rest', async () => {
		const tove = people.get('Tove')!;
		const [button] = await runsOfForm(tove, 1, 'route-contribution');
		expect(button).toMatchObject({ label: 'Open the stretch plan', when: 'button' });
		expect(button!.asks.map(({ name }) => name)).toEqual(['growth']);
		const { run } = await runFromForm(
			tove,
			1,
			'route-contribution',
			{ members: {} },
			{ runbook: button!.runbook, answers: { growth: 0.1 } }
		);
		const done = await readRun(tove, 1, run);
		expect(done.state).toBe('done');
		expect(done.log.reduce((sum, step) => sum + step.skipped, 0)).toBeGreaterThan(0);
		expect((await readRun(people.get('Vera'), 1, run)).name).toBe('Open the stretch plan');
		// Another planner does not read her run, and may not take it back.
		await expect(readRun(people.get('Lidia'), 1, run)).rejects.toMatchObject({ status: 404 });
		await expect(takeBackRun(people.get('Lidia'), 1, run)).rejects.toMatchObject({ status: 403 });
		await takeBackRun(tove, 1, run);
		const other = await make('Of no form', []);
		await expect(runFromForm(tove, 1, 'route-contribution', { members: {} }, { runbook: other, answers: {} })).rejects.toMatchObject({
			status: 404
		});
		expect(await runsOfForm(people.get('Vera'), 1, 'route-contribution')).toEqual([]);
	});
});

describe('a run by itself, beside others, and on what is typed', () => {
	const DOUBLE = SCRIPT.replaceAll('Sailings', 'Cars');

	test('starts when its moment has come, once, with the answers it was given; without one it is refused', async () => {
		const parameters = [{ name: 'factor', label: 'Factor', kind: 'number' as const, dimension: null, choices: null, initial: null }];
		const id = await make('At night', [formula(DOUBLE.replace('* 2', '* $factor'))], { parameters });
		const at = { cron: '* * * * *', timeZone: 'UTC', active: true };
		await expect(setRunbookSchedule(maren(), 1, id, { schedule: at, answers: {} })).rejects.toThrow(
			'Choose Factor: nobody can be asked when it runs by itself.'
		);
		await expect(setRunbookSchedule(maren(), 1, id, { schedule: { ...at, cron: 'soon' }, answers: { factor: 2 } })).rejects.toThrow(
			'five parts'
		);
		const set = await setRunbookSchedule(maren(), 1, id, { schedule: at, answers: { factor: 2 } });
		expect(set).toMatchObject({ active: true, answers: { factor: 2 } });
		expect(set!.next).toHaveLength(4);
		expect(await startDueRunbooks(new Date(Date.now() - 60_000))).toEqual([]);
		const later = new Date(Date.now() + 61_000);
		const begun = await Promise.all([startDueRunbooks(later), startDueRunbooks(later)]);
		expect(begun.flat()).toHaveLength(1);
		const { state, person } = await readRun(maren(), 1, begun.flat()[0]!);
		expect([state, person]).toEqual(['done', 'Maren Kvist']);
		await takeBackRun(maren(), 1, begun.flat()[0]!);
		await setRunbookSchedule(maren(), 1, id, { schedule: null, answers: {} });
		expect((await readRunbook(maren(), 1, id)).schedule).toBeNull();
	});

	test('nobody writes what runs with another’s rights, or by another’s schedule, unseen', async () => {
		const osric = people.get('Osric')!;
		expect(osric.permissions).toContain('rule.write');
		const id = await make('Lent', [formula(SCRIPT)], { runsAs: maren().id });
		const { version, steps } = await readRunbook(osric, 1, id);
		const own = { ...head, name: 'Lent', steps: steps as StepDraft[], version };
		// Neither kept as it is, nor given away again.
		for (const runsAs of [maren().id, null])
			await expect(saveRunbook(osric, 1, id, { ...own, runsAs })).rejects.toMatchObject({
				status: 403,
				message: expect.stringContaining('runs with the rights of Maren Kvist')
			});
		expect((await readRunbook(osric, 1, (await copyRunbook(osric, 1, id)).id)).runsAs).toBeNull();
		await saveRunbook(maren(), 1, id, { ...own, runsAs: null });
		await expect(saveRunbook(osric, 1, id, { ...own, version: version + 1, runsAs: maren().id })).rejects.toMatchObject({ status: 403 });
		await setRunbookSchedule(maren(), 1, id, { schedule: { cron: '0 3 * * *', timeZone: 'UTC', active: true }, answers: {} });
		await saveRunbook(osric, 1, id, { ...own, version: version + 1, runsAs: null });
		expect((await readRunbook(maren(), 1, id)).schedule).toMatchObject({ active: false, person: 'Maren Kvist', suspendedBy: 'Osric Hale' });
		expect(await startDueRunbooks(new Date(Date.now() + 25 * 3_600_000))).toEqual([]);
		const renewed = await setRunbookSchedule(maren(), 1, id, {
			schedule: { cron: '0 3 * * *', timeZone: 'UTC', active: true },
			answers: {}
		});
		expect(renewed).toMatchObject({ active: true, suspendedBy: null });
		// One's own change suspends nothing.
		await saveRunbook(maren(), 1, id, { ...own, version: version + 2, runsAs: null });
		expect((await readRunbook(maren(), 1, id)).schedule).toMatchObject({ active: true });
		await deleteRunbook(maren(), 1, id);
	});

	test('two at once: the second waits, or is refused where it is set so', async () => {
		const [patient, hasty] = [await make('Patient', [formula(DOUBLE)]), await make('Hasty', [formula(DOUBLE)], { whenBusy: 'refuse' })];
		// A run that has been noted and not ended.
		const made = await database.pool.query<{ id: number }>(
			"INSERT INTO run (model_id, name, state, answers, definition) VALUES (1, 'A long one', 'waiting', '{}', '{}') RETURNING id"
		);
		await database.pool.query("INSERT INTO job (model_id, kind, title, payload, state) VALUES (1, 'run', 'A long one', $1, 'running')", [
			JSON.stringify({ run: made.rows[0]!.id })
		]);
		await expect(startRun(maren(), 1, hasty, { answers: {} })).rejects.toThrow('“A long one” is under way');
		const run = await startRun(maren(), 1, patient, { answers: {} });
		expect((await readRun(maren(), 1, run.run)).state).toBe('done');
		await takeBackRun(maren(), 1, run.run);
		await database.pool.query("UPDATE job SET state = 'failed' WHERE kind = 'run' AND title = 'A long one'");
		await database.pool.query('DELETE FROM run WHERE id = $1', [made.rows[0]!.id]);
	});

	test('killed in the middle it has written nothing, and the next one finds everything as it was', async () => {
		const id = await make('Killed', [formula(DOUBLE)]);
		const before = await stored('S40', 'STR');
		// The transaction in which it stores ends with its connection.
		const keep = await database.pool.connect();
		await keep.query('BEGIN');
		await keep.query('SELECT pg_advisory_xact_lock(7204, 1)');
		const going = startRun(maren(), 1, id, { answers: {} });
		await new Promise((next) => setTimeout(next, 600));
		await database.pool.query(
			"SELECT pg_terminate_backend(pid) FROM pg_locks WHERE locktype = 'advisory' AND classid = 7204 AND NOT granted"
		);
		await keep.query('ROLLBACK');
		keep.release();
		const { run } = await going;
		expect((await readRun(maren(), 1, run)).state).toBe('failed');
		expect(await stored('S40', 'STR')).toBe(before);
		const again = await startRun(maren(), 1, id, { answers: {} });
		expect((await readRun(maren(), 1, again.run)).state).toBe('done');
		await takeBackRun(maren(), 1, again.run);
		expect(await stored('S40', 'STR')).toBe(before);
	});

	test('a preview is tried on what the person has typed and not saved, and leaves no trace', async () => {
		const id = await make('On a draft', [formula(DOUBLE)]);
		const { steps, version } = await readRunbook(maren(), 1, id);
		const look = async (onDraft: boolean) =>
			(
				await previewRun(maren(), 1, id, { answers: {}, draft: { ...head, name: 'On a draft', steps, version }, only: null, onDraft })
			).totals.find(({ account }) => account === 'Cars')!.after;
		const before = await look(false);
		await database.pool.query('INSERT INTO draft (model_id, person_id) VALUES (1, $1) ON CONFLICT DO NOTHING', [maren().id]);
		const cell = await database.pool.query<{ address: number[] }>(
			`SELECT ARRAY(SELECT m FROM unnest(ARRAY[${['account', 'scenario', 'line', 'department', 'route', 'version'].map((code) => `d${ids.get(code)}`).join(', ')}]) AS m) AS address
			FROM cells_1 WHERE d${ids.get('account')} = $1 AND d${ids.get('scenario')} = $2 AND d${ids.get('version')} = $3 AND fiscal_year = 2028 LIMIT 1`,
			[ids.get('account S40'), ids.get('scenario BUD28'), ids.get('version WORK')]
		);
		await database.pool.query(
			`INSERT INTO draft_cell (draft_id, address, period_id, value, seen) SELECT id, $2, $3, 1000000, null FROM draft WHERE person_id = $1 AND model_id = 1`,
			[maren().id, cell.rows[0]!.address, ids.get('period 2027-06')]
		);
		expect(await look(true)).toBeGreaterThan(before! + 1_000_000);
		expect(await look(false)).toBe(before);
		await database.pool.query('DELETE FROM draft_cell d USING draft o WHERE o.id = d.draft_id AND o.person_id = $1', [maren().id]);
	});

	test('begins with imports: their rows are loaded before anything is computed; one that fails ends the run', async () => {
		const imports = (await readRunbook(maren(), 1, await make('Empty', [formula(DOUBLE)]))).imports;
		expect(imports.length).toBeGreaterThan(0);
		const load = (number: number | null): StepDraft =>
			({ id: null, name: 'Load', description: '', active: true, limits: {}, kind: 'import', import: number }) as StepDraft;
		const late = await make('Late', [formula(DOUBLE), load(imports[0]!.id)]);
		await expect(startRun(maren(), 1, late, { answers: {} })).rejects.toThrow('Imports come first');
		const none = await make('None', [load(null), formula(DOUBLE)]);
		await expect(startRun(maren(), 1, none, { answers: {} })).rejects.toThrow('Choose the import');
		const gone = await make('Gone', [load(999_999), formula(DOUBLE)]);
		const failed = await startRun(maren(), 1, gone, { answers: {} });
		expect(await readRun(maren(), 1, failed.run)).toMatchObject({ state: 'failed', words: 'Load: the import is not there any more.' });
		// Counts that lie in a folder are fetched, loaded and then doubled, all by one run.
		const folder = mkdtempSync(join(tmpdir(), 'runbook-'));
		process.env.DROP_FOLDER = folder;
		mkdirSync(join(folder, 'counts'));
		writeFileSync(join(folder, 'counts/one.csv'), 'month,line,route,measure,count\n202609,SKE,R01,departures,161\n');
		const past = new Date(Date.now() - 60_000);
		utimesSync(join(folder, 'counts/one.csv'), past, past);
		await editImport(maren(), 1, 'ticketing', { act: 'place', place: { kind: 'folder', folder: 'counts', pattern: '*.csv' } });
		const ticketing = (await readRunbook(maren(), 1, late)).imports.find(({ name }) => name.startsWith('Ticketing'))!;
		const actual = formula('within Scenario: Actual, Version: Agreed, Period: "Sep 2026"\n  "Survey hours" = Sailings * 2\nend');
		const id = await make('With its load', [load(ticketing.id), actual]);
		const { run } = await startRun(maren(), 1, id, { answers: {} });
		const { state, totals } = await readRun(maren(), 1, run);
		expect(state).toBe('done');
		expect(totals[0]).toMatchObject({ account: 'Survey hours', after: 322 });
		expect((await startRun(maren(), 1, id, { answers: {} })).run).toBeGreaterThan(run);
		rmSync(folder, { recursive: true });
	});
});

test('what new posts cost in their own model comes into the main one by its runbook, again when they change', async () => {
	const all = await database.pool.query<{ id: number; name: string }>('SELECT id, name FROM runbook');
	const bring = all.rows.find(({ name }) => name === 'Bring crew costs in')!.id;
	const pay = async () => (await openForm(maren(), 1, 'crew-and-terminal-pay', { members: {}, currency: 'local' })).form;
	const yearOf = (form: Awaited<ReturnType<typeof pay>>, label: string) =>
		form.values[form.rows.findIndex((row) => row.label === label) * form.columns.length + form.columns.length - 1];
	const first = await startRun(maren(), 1, bring, { answers: {} });
	expect((await readRun(maren(), 1, first.run)).words).toMatch(/^Costs of new posts: 176 rows loaded/);
	// Skerry Line: a mate from April, four seafarers from May, two cooks from June; a bonus of half a month's pay in November.
	const skerry = 61_500 * 12 + 4 * 38_200 * 11 + 2 * 36_900 * 10;
	const bonus = (61_500 + 4 * 38_200) / 2;
	const form = await pay();
	expect(yearOf(form, 'Pay of new posts')).toBeCloseTo(skerry, 2);
	expect(yearOf(form, 'Bonus of new posts')).toBeCloseTo(bonus, 2);
	expect(yearOf(form, 'Charges of new posts')).toBeCloseTo((skerry + bonus) * 0.14, 2);
	// Nothing new is not loaded twice.
	const second = await startRun(maren(), 1, bring, { answers: {} });
	expect((await readRun(maren(), 1, second.run)).words).toMatch(/Nothing new/);
	// The mate begins in October: six months of pay less.
	const entry = await openForm(maren(), 2, 'crew-posts', { members: {}, currency: 'local' });
	const at = {
		row: entry.form.rows.findIndex(({ label }) => label === 'Chief mate'),
		column: entry.form.columns.findIndex(({ label }) => label === 'Starts in')
	};
	const choice = { members: {}, currency: 'local' };
	const entered = await enterFigures(maren(), 2, 'crew-posts', choice, {
		entries: [{ ...at, text: 'Oct 2027' }],
		structure: entry.form.structure
	});
	expect(entered.faults).toEqual([]);
	expect(await saveDraft(maren(), 2, 'crew-posts', { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
	const third = await startRun(maren(), 1, bring, { answers: {} });
	expect((await readRun(maren(), 1, third.run)).words).toMatch(/rows loaded/);
	expect(yearOf(await pay(), 'Pay of new posts')).toBeCloseTo(skerry - 6 * 61_500, 2);
});

test('members that a runbook names are used by it', async () => {
	const uses = await usesOfMember(database.pool, ids.get('account')!, ids.get('account S10')!);
	expect(uses.filter(({ kind }) => kind === 'runbook').map(({ name }) => name)).toContain('Open the stretch plan');
	// A level, or a place under each year, is a number too, and no member.
	const route = ids.get('route R01')!;
	const named = async () => (await usesOfMember(database.pool, ids.get('route')!, route)).map(({ name }) => name);
	const limits = { [ids.get('period')!]: { kind: 'leaf of each' as const, in: { kind: 'level' as const, depth: route }, at: route } };
	const id = await make('By places', [formula(SCRIPT, { limits })]);
	expect(await named()).not.toContain('By places');
	const other = await make('By name', [formula(SCRIPT, { limits: only('route R01') })]);
	expect(await named()).toContain('By name');
	for (const each of [id, other]) await deleteRunbook(maren(), 1, each);
});

test('a script is checked while it is written', async () => {
	const asked = { parameters: [], limits: {} };
	expect((await checkScriptText(maren(), 1, { ...asked, text: SCRIPT })).faults).toEqual([]);
	const { faults } = await checkScriptText(maren(), 1, { ...asked, text: 'Sailings = Sailing * 2' });
	expect(faults[0]!.message).toContain('Did you mean “Sailings”?');
	expect((await checkScriptText(maren(), 1, { ...asked, text: 'x'.repeat(1_000_000) })).faults[0]!.message).toContain('too long');
});

test('a package carries runbooks with what they have written: run again in the new model, nothing changes', async () => {
	const found = await database.pool.query<{ id: number; growth: number }>("SELECT id FROM runbook WHERE name = 'Open the stretch plan'");
	const open = found.rows[0]!.id;
	const answers = { growth: 0.04 };
	expect((await run(open, answers)).state).toBe('done');
	const scenario = ids.get('scenario')!;
	const asked = await make('Twice where asked', [formula('within Scenario: $into, Version: Proposal\n  Coaches = Passengers * 2\nend')], {
		parameters: [
			{ name: 'into', label: 'Into', kind: 'member', dimension: scenario, choices: { kind: 'all' }, initial: ids.get('scenario STR')! }
		]
	});
	const written = await run(asked, { into: ids.get('scenario STR')! });
	expect(written.cells).toBeGreaterThan(0);
	const { packed, numbers } = await readPackage((await exportPackage(maren(), 1, true)).zip);
	const made = await createFromPackage(maren(), packed, numbers, 'Group plan with runbooks');
	const again = (name: string) =>
		database.pool
			.query<{ id: number }>('SELECT id FROM runbook WHERE model_id = $1 AND name = $2', [made.id, name])
			.then(({ rows }) => rows[0]!.id);
	const runThere = async (name: string, given: Record<string, number>) => {
		const started = await startRun(maren(), made.id, await again(name), { answers: given });
		return readRun(maren(), made.id, started.run);
	};
	expect((await runThere('Open the stretch plan', answers)).words).toMatch(/^Nothing changed/);
	// The scenario that was asked for is another member here, and what was written for it is known by it.
	const into = await database.pool.query<{ id: number }>(
		`SELECT m.id FROM member m JOIN model_dimension d ON d.dimension_id = m.dimension_id
		WHERE d.model_id = $1 AND m.code = 'STR' AND EXISTS (SELECT FROM scenario s WHERE s.member_id = m.id)`,
		[made.id]
	);
	expect(into.rows[0]!.id).not.toBe(ids.get('scenario STR'));
	expect((await runThere('Twice where asked', { into: into.rows[0]!.id })).words).toMatch(/^Nothing changed/);
	// Buttons of forms lead to the runbooks that came along.
	const buttons = await database.pool.query<{ runbook: number; model: number }>(
		`SELECT (r ->> 'runbook')::integer AS runbook, b.model_id AS model FROM form f CROSS JOIN jsonb_array_elements(f.layout -> 'runs') AS r
		LEFT JOIN runbook b ON b.id = (r ->> 'runbook')::integer WHERE f.model_id = $1`,
		[made.id]
	);
	expect(buttons.rows.length).toBeGreaterThan(0);
	expect(new Set(buttons.rows.map(({ model }) => model))).toEqual(new Set([made.id]));
	const imports = await readRunbook(maren(), made.id, await again('Bring crew costs in'));
	expect(imports.steps.find(({ kind }) => kind === 'import')).toMatchObject({ import: expect.any(Number) });
});

test('what is stored at the end of all this is what the journal says', async () => {
	await expectJournalHolds(database.pool);
});

describe('after all of it', () => {
	test('an engine that followed holds what one opened now reads', async () => {
		await expectFollowed();
	});
});
