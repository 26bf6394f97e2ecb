import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import {
	bringLocks,
	closePeriods,
	dropLocks,
	lockBoard,
	lockedSlice,
	lockGrid,
	lockHistory,
	readBoardHead,
	readPeriodClose,
	setDrivers,
	setLocks,
	takeBackLocks,
	turnDueLocks,
	type LocksSet
} from '../../src/lib/server/locks';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import { whileRestating } from '../../src/lib/server/restating';
import { createRunbook, readRun, readRunbook, saveRunbook, startRun } from '../../src/lib/server/runbook';
import type { SignedIn } from '../../src/lib/server/session';
import { askEngine } from '../../src/lib/server/engine';
import { modelVersions } from '../../src/lib/server/database/structure-version';
import { editMembers, readFormulas, setFormulas } from '../../src/lib/server/structure';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let osric: SignedIn;
let imke: SignedIn;
const ids = new Map<string, number>();
const dimension = new Map<string, number>();
const MODEL = 1;
const FORM = 'route-contribution';
const DRIVERS = ['Scenario', 'Line', 'Department', 'Period'];

beforeAll(async () => {
	house = await openHouse('locks');
	osric = await house.person('Osric', MODEL);
	imke = await house.person('Imke', MODEL);
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		if (DRIVERS.includes(name) || code === 'R06') ids.set(code, id);
		dimension.set(name, of);
	}
});
afterAll(() => house.close());

const of = (...codes: string[]) => codes.map((code) => ids.get(code)!);
type Terms = Partial<Parameters<typeof setLocks>[2]>;
const seen = async () => (await readBoardHead(osric, MODEL)).seen;
const set = async (slices: string[][], state: 'open' | 'held' | 'closed' | null, terms: Terms = {}, by = osric): Promise<LocksSet> =>
	setLocks(by, MODEL, {
		slices: slices.map((codes) => of(...codes)),
		state,
		reason: '',
		turns: null,
		writers: [],
		seen: await seen(),
		...terms
	});
const changeOf = (outcome: LocksSet) => (outcome.kind === 'set' ? outcome.change! : -1);
const stateOf = async (...codes: string[]) =>
	(await lockedSlice(osric, MODEL, { members: of(...codes) })).layers.find(({ layer }) => layer === 'board')!;
/** What somebody typing into a month of the route contribution of Northgate is told; undefined where it is taken. */
async function typed(who: string, column: string): Promise<string | undefined> {
	const person = await house.person(who, MODEL);
	const choices = {
		members: {
			[dimension.get('Line')!]: ids.get('NOR')!,
			[dimension.get('Route')!]: ids.get('R06')!,
			[dimension.get('Department')!]: ids.get('BK')!
		},
		currency: 'local'
	};
	const open = await openForm(person, MODEL, FORM, choices);
	const row = open.form.rows.findIndex(({ label }) => label === 'Coaches');
	const at = open.form.columns.findIndex(({ label }) => label === column);
	const outcome = await enterFigures(person, MODEL, FORM, choices, {
		entries: [{ row, column: at, text: '7' }],
		structure: open.form.structure
	});
	return outcome.faults[0]?.message;
}

describe('the board', () => {
	test('shows the demo’s states, set and from above, with what differs beneath', async () => {
		const board = await lockBoard(osric, MODEL, {
			layer: 'board',
			rows: [dimension.get('Line')!, dimension.get('Department')!],
			columns: dimension.get('Period')!,
			within: ids.get('FY2028')!,
			chosen: { [dimension.get('Scenario')!]: ids.get('STR')! }
		});
		const row = (...names: string[]) => board.rows.findIndex(({ members }) => members.join() === of(...names).join());
		const column = (code: string) => board.columns.findIndex(({ members }) => members[0] === ids.get(code));
		const cell = (names: string[], code: string) => board.states[row(...names)]![column(code)];
		expect(board.columns).toHaveLength(1 + 2 + 4 + 12);
		expect([cell(['SVC'], '2027-04'), cell(['SVC', 'AD'], '2027-04'), cell(['SVC', 'FC'], '2027-04')]).toEqual(['c', 'c', 'o']);
		expect([cell(['NOR', 'TM'], 'FY2028-Q3'), cell(['NOR', 'TM'], '2027-10'), cell(['NOR', 'DK'], '2027-10')]).toEqual(['H', 'h', 'o']);
		expect(board.exceptions[row('SVC')]![column('2027-04')]).toBe(1);
		expect(board.exceptions[row('GROUP')]![column('FY2028')]).toBeGreaterThanOrEqual(2);
		expect(board.exceptions[row('NOR')]![column('2027-05')]).toBeUndefined();
	});

	test('sets a parent, asks about what differs beneath, and takes it all back', async () => {
		const first = await set([['BUD28', 'AMB', 'DK', '2027-06']], 'held', { writers: [{ person: osric.id }], reason: 'still in talks' });
		const asked = await set([['BUD28', 'AMB']], 'closed');
		expect(asked).toMatchObject({ kind: 'exceptions', exceptions: [{ state: 'held' }] });
		expect((await stateOf('BUD28', 'AMB')).state).toBe('open');
		// It stays, and what is around it is closed.
		const kept = await set([['BUD28', 'AMB']], 'closed', { goes: [] });
		expect((await stateOf('BUD28', 'AMB', 'EN')).state).toBe('closed');
		expect(await stateOf('BUD28', 'AMB', 'DK', '2027-06')).toMatchObject({ state: 'held', isOwn: true });
		await takeBackLocks(osric, MODEL, { id: changeOf(kept), reason: '' });
		if (asked.kind !== 'exceptions') throw new Error('not asked');
		const gone = await set([['BUD28', 'AMB']], 'closed', { goes: asked.exceptions.map(({ id }) => id) });
		expect((await stateOf('BUD28', 'AMB', 'DK', '2027-06')).state).toBe('closed');
		await takeBackLocks(osric, MODEL, { id: changeOf(gone), reason: '' });
		expect((await stateOf('BUD28', 'AMB', 'DK', '2027-06')).state).toBe('held');
		// The first can go back now that it stands again as it was left.
		await takeBackLocks(osric, MODEL, { id: changeOf(first), reason: '' });
		expect((await stateOf('BUD28', 'AMB', 'DK', '2027-06')).state).toBe('open');
		const lines = (await lockedSlice(osric, MODEL, { members: of('BUD28', 'AMB', 'DK', '2027-06') })).history;
		expect(lines.map(({ words }) => words.replace(/^Taken back: /, '')).length).toBeGreaterThanOrEqual(3);
	});

	test('of a selection only the outermost are kept, and what another set meanwhile is not written over', async () => {
		const before = await seen();
		const outcome = await set(
			[
				['BUD28', 'SKE'],
				['BUD28', 'SKE', 'DK'],
				['BUD28', 'SKE', 'DK', '2027-04']
			],
			'closed'
		);
		expect(outcome).toMatchObject({ kind: 'set', slices: 1 });
		const late = await faultOf(set([['BUD28', 'SKE']], 'open', { seen: before }));
		expect(late).toMatchObject({ status: 409 });
		// Elsewhere on the board it does not matter.
		const elsewhere = await set([['BUD28', 'NOR', 'DK']], 'held', { seen: before, writers: [{ person: osric.id }] });
		await takeBackLocks(osric, MODEL, { id: changeOf(elsewhere), reason: '' });
		await takeBackLocks(osric, MODEL, { id: changeOf(outcome), reason: '' });
	});

	test('is refused to who may not lock, for nobody named, for a day past, and for what drives no board', async () => {
		expect(await faultOf(set([['BUD28', 'SKE']], 'closed', {}, imke))).toMatchObject({ status: 403 });
		expect(await faultOf(lockBoard(imke, MODEL, { layer: 'board', rows: [1], columns: 2, within: null, chosen: {} }))).toMatchObject({
			status: 403
		});
		expect(await faultOf(set([['BUD28', 'SKE']], 'held'))).toMatchObject({ status: 422 });
		expect(await faultOf(set([['BUD28', 'SKE']], 'closed', { turns: { on: '2020-01-01', to: 'open' } }))).toMatchObject({ status: 422 });
		expect(await faultOf(set([['BUD28', 'R06']], 'closed'))).toMatchObject({ status: 422 });
		expect(await faultOf(set([['NOR', 'SKE']], 'closed'))).toMatchObject({ status: 422 });
	});
});

describe('what is locked', () => {
	test('is told with who, since when, why, until when and whom to ask; held lets who is named, and only there', async () => {
		expect(await typed('Imke', 'May 2027')).toBeUndefined();
		const closed = await set([['BUD28', 'GROUP', '2027-05']], 'closed', { reason: 'handed in', turns: { on: '2031-01-01', to: 'open' } });
		expect(await typed('Imke', 'May 2027')).toMatch(
			/^Budget FY2028, Brinewater group, May 2027 is closed by Osric Hale since .* “handed in”\. On 1 January 2031 it opens by itself\. Ask Osric Hale\.$/
		);
		await takeBackLocks(osric, MODEL, { id: changeOf(closed), reason: '' });
		const held = await set([['BUD28', 'GROUP', '2027-05']], 'held', { writers: [{ dimension: dimension.get('Line')!, by: 'owner' }] });
		const owned = (by: SignedIn) =>
			house.database.pool.query('UPDATE entity SET owner_id = $2 WHERE member_id = $1', [ids.get('NOR'), by.id]);
		await owned(imke);
		expect(await typed('Imke', 'May 2027')).toBeUndefined();
		await owned(osric);
		expect(await typed('Imke', 'May 2027')).toMatch(/is held/);
		await owned(imke);
		await takeBackLocks(osric, MODEL, { id: changeOf(held), reason: '' });
	});

	test('is not saved over by a draft that was typed before', async () => {
		expect(await typed('Imke', 'Aug 2027')).toBeUndefined();
		const closed = await set([['BUD28', 'NOR']], 'closed');
		const outcome = await saveDraft(imke, MODEL, FORM, { keepMine: [], takeTheirs: [] });
		expect(outcome.kind).toBe('refused');
		await takeBackLocks(osric, MODEL, { id: changeOf(closed), reason: '' });
		expect((await saveDraft(imke, MODEL, FORM, { keepMine: [], takeTheirs: [] })).kind).toBe('saved');
	});

	test('everything can be locked, and unlocked by who may', async () => {
		const all = await set([['BUD28'], ['OUT27'], ['ACT'], ['STR'], ['BUD27']], 'closed', { goes: [] });
		expect(await typed('Imke', 'Sep 2027')).toMatch(/is closed/);
		await takeBackLocks(osric, MODEL, { id: changeOf(all), reason: '' });
		expect(await typed('Imke', 'Sep 2027')).toBeUndefined();
	});

	test('becomes another by itself on its day, once, whichever server looks', async () => {
		const outcome = await set([['BUD28', 'SKE', 'EN']], 'held', {
			writers: [{ person: osric.id }],
			turns: { on: '2031-01-01', to: 'closed' }
		});
		await house.database.pool.query("UPDATE access_lock SET turns_on = current_date WHERE layer = 'board' AND turns_on = '2031-01-01'");
		expect((await Promise.all([turnDueLocks(), turnDueLocks()])).reduce((sum, each) => sum + each, 0)).toBe(1);
		expect(await stateOf('BUD28', 'SKE', 'EN')).toMatchObject({ state: 'closed', isOwn: true });
		const [line] = await lockHistory(osric, MODEL);
		expect(line).toMatchObject({ person: null, words: expect.stringContaining('as its day has come') as string });
		expect(await faultOf(takeBackLocks(osric, MODEL, { id: changeOf(outcome), reason: '' }))).toMatchObject({ status: 409 });
		await set([['BUD28', 'SKE', 'EN']], null);
	});
});

test('a lock step closes what it is limited to once the run is stored, and only where one may lock', async () => {
	const maren = await house.person('Maren', MODEL);
	const { id } = await createRunbook(maren, MODEL, { name: 'Close Amber' });
	const limits = Object.fromEntries(
		(
			[
				['Scenario', 'BUD28'],
				['Line', 'AMB']
			] as const
		).map(([name, code]) => [dimension.get(name)!, { kind: 'these' as const, members: of(code) }])
	);
	const step = { id: null, name: 'Close', description: '', active: true, kind: 'lock' as const, state: 'closed' as const };
	const head = {
		name: 'Close Amber',
		description: '',
		parameters: [],
		onRefused: 'skip' as const,
		whenBusy: 'wait' as const,
		runsAs: null
	};
	await saveRunbook(maren, MODEL, id, { ...head, steps: [{ ...step, limits: {} }], version: 1 });
	const { findings, version } = await readRunbook(maren, MODEL, id);
	expect(findings.map(({ message }) => message)).toContain(
		'A lock step without a scenario would lock the whole model. Limit it to what it closes.'
	);
	await saveRunbook(maren, MODEL, id, { ...head, steps: [{ ...step, limits }], version });
	const end = async (by: SignedIn) => readRun(by, MODEL, (await startRun(by, MODEL, id, { answers: {} })).run);
	expect(await end(maren)).toMatchObject({ state: 'done' });
	expect(await stateOf('BUD28', 'AMB')).toMatchObject({ state: 'closed', isOwn: true });
	const [line] = await lockHistory(osric, MODEL);
	expect(line).toMatchObject({ person: 'Maren Kvist', reason: 'Close Amber, Close' });
	// Run again, nothing is set again.
	await end(maren);
	expect((await lockHistory(osric, MODEL))[0]!.id).toBe(line!.id);
	await takeBackLocks(osric, MODEL, { id: line!.id, reason: '' });
	const tove = await house.person('Tove', MODEL);
	expect(await end(tove).catch((error: Error) => ({ state: 'failed', words: error.message }))).toMatchObject({
		state: 'failed',
		words: expect.stringContaining('lock and unlock figures') as string
	});
	expect((await stateOf('BUD28', 'AMB')).state).toBe('open');
});

describe('definitions', () => {
	const asked = (may: boolean, reason: string | null, work: () => Promise<unknown>) =>
		whileRestating({ may, reason, person: osric.id }, work);
	const formulaOf = async () => readFormulas(await house.person('Maren', MODEL), MODEL, marginId);
	let marginId = 0;
	test('that would move closed figures are told with the amounts, and need the permission and a reason', async () => {
		const maren = await house.person('Maren', MODEL);
		const margin = await house.database.pool.query<{ id: number }>(
			"SELECT f.account_id AS id FROM formula f JOIN member m ON m.id = f.account_id WHERE f.model_id = 1 AND m.name = 'Contribution margin'"
		);
		marginId = margin.rows[0]!.id;
		const { formulas } = await formulaOf();
		const half = formulas.map((formula) => ({ ...formula, text: `(${formula.text}) / 2` }));
		const change = () => setFormulas(maren, MODEL, { account: marginId, formulas: half, was: formulas } as never);
		// Actual is closed to August 2026: its margins would be half of what was reported.
		const refused = await faultOf(asked(false, null, change));
		expect(refused).toMatchObject({ status: 403, code: 'closed' });
		const told = await faultOf(asked(true, null, change));
		expect(told).toMatchObject({ status: 409, code: 'restates' });
		const { lines } = told.details as { lines: { account: string; scenario: string; before: number; after: number }[] };
		const line = lines.find(({ account }) => account === 'Contribution margin')!;
		expect(line.after).toBeCloseTo(line.before / 2, 9);
		// Nothing was changed by asking.
		expect((await formulaOf()).formulas).toEqual(formulas);
		await asked(true, 'the method of the group has changed', change);
		expect((await lockHistory(osric, MODEL))[0]).toMatchObject({
			reason: 'the method of the group has changed',
			words: expect.stringMatching(/^Restated: the formula of “Contribution margin”/) as string
		});
		await asked(true, 'back', () => setFormulas(maren, MODEL, { account: marginId, formulas, was: half } as never));
	});
	test('a line that moves from one group to another moves both closed totals, though the whole stays', async () => {
		const maren = await house.person('Maren', MODEL);
		const routes = await house.database.pool.query<{ id: number; parent: number; name: string; code: string }>(
			`SELECT m.id, m.name, m.code, n.parent_id AS parent FROM hierarchy_node n JOIN member m ON m.id = n.member_id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main
			WHERE m.dimension_id = $1 AND n.parent_id IS NOT NULL AND NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.hierarchy_id = h.id AND c.parent_id = m.id) ORDER BY m.id`,
			[dimension.get('Route')]
		);
		const groups = [...new Set(routes.rows.map(({ parent }) => parent))];
		expect(groups.length).toBeGreaterThan(1);
		const moving = routes.rows.find(({ parent }) => parent === groups[0])!;
		const change = () =>
			editMembers(maren, MODEL, 'route', {
				edits: [{ act: 'move', members: [moving.id], parent: groups[1]! }],
				handOver: {}
			});
		const told = await faultOf(asked(true, null, change));
		expect(told, JSON.stringify(told)).toMatchObject({ status: 409, code: 'restates' });
		const { lines } = told.details as { lines: { where: string; before: number; after: number; account: string }[] };
		expect(new Set(lines.map(({ where }) => where)).size).toBeGreaterThan(1);
	});
	test('a weight of 0 takes an account out of the closed total above it, to the cent', async () => {
		const maren = await house.person('Maren', MODEL);
		const dues = (
			await house.database.pool.query<{ id: number }>("SELECT id FROM member WHERE code = '6020' AND dimension_id = $1", [
				dimension.get('Account')
			])
		).rows[0]!.id;
		const change = (value: string, was: string) => () =>
			editMembers(maren, MODEL, 'account', { edits: [{ act: 'set', member: dues, field: 'weight', value, was }], handOver: {} });
		const told = await faultOf(asked(true, null, change('0', '1')));
		expect(told).toMatchObject({ status: 409, code: 'restates' });
		const { lines } = told.details as {
			lines: { lock: string; account: string; scenario: string; period: string; before: number; after: number }[];
		};
		const line = lines[0]!;
		// What the total loses is what the account comes to there, asked of the interface for programs.
		const periods = await house.database.pool.query<{ code: string }>('SELECT code FROM member WHERE name = $1 AND dimension_id = $2', [
			line.period,
			dimension.get('Period')
		]);
		const scenario = await house.database.pool.query<{ code: string }>('SELECT code FROM member WHERE name = $1 AND dimension_id = $2', [
			line.scenario,
			dimension.get('Scenario')
		]);
		const { values } = await askEngine(MODEL, 'figures', {
			...(await modelVersions(house.database.pool, MODEL)),
			rules: { mayEnter: true, grants: [] },
			rows: { account: ['6020'] },
			columns: { period: [periods.rows[0]!.code] },
			at: { scenario: scenario.rows[0]!.code, ...(line.lock === 'The final version' && { version: 'FINAL' }) }
		});
		expect(Math.abs(line.before - line.after)).toBeCloseTo(Math.abs(values[0]![0] as number), 4);
		expect(await faultOf(asked(false, null, change('0', '1')))).toMatchObject({ status: 403 });
		// Another name moves nothing.
		await asked(false, null, () =>
			editMembers(maren, MODEL, 'account', {
				edits: [{ act: 'set', member: dues, field: 'name', value: 'Port dues', was: 'Harbour dues' }],
				handOver: {}
			})
		);
		await asked(false, null, () =>
			editMembers(maren, MODEL, 'account', {
				edits: [{ act: 'set', member: dues, field: 'name', value: 'Harbour dues', was: 'Port dues' }],
				handOver: {}
			})
		);
	});
	test('that move nothing closed are not asked about', async () => {
		const maren = await house.person('Maren', MODEL);
		const { formulas } = await formulaOf();
		const same = formulas.map((formula) => ({ ...formula, text: `(${formula.text})` }));
		await asked(false, null, () => setFormulas(maren, MODEL, { account: marginId, formulas: same, was: formulas } as never));
	});
});

describe('a table', () => {
	test('of the states goes out and comes in again as it was; a new row sets, an empty state clears, a fault stops all', async () => {
		const { grid } = await lockGrid(osric, MODEL);
		expect(await bringLocks(osric, MODEL, { grid, bring: true })).toMatchObject({
			set: 0,
			cleared: 0,
			same: grid.length - 1,
			change: null
		});
		const head = grid[0]!;
		const row = (values: Record<string, string>) => head.map((name) => values[name] ?? '');
		const rows = [
			head,
			row({ Scenario: 'BUD28', Line: 'Amber Coast Line', State: 'closed', Reason: 'agreed' }),
			row({ Scenario: 'STR', Line: 'SVC' })
		];
		expect(await bringLocks(osric, MODEL, { grid: rows, bring: false })).toMatchObject({ set: 1, cleared: 1, change: null });
		const { change } = await bringLocks(osric, MODEL, { grid: rows, bring: true });
		expect((await stateOf('BUD28', 'AMB')).state).toBe('closed');
		expect((await stateOf('STR', 'SVC')).state).toBe('open');
		await takeBackLocks(osric, MODEL, { id: change!, reason: '' });
		expect([(await stateOf('BUD28', 'AMB')).state, (await stateOf('STR', 'SVC')).state]).toEqual(['open', 'closed']);
		const wrong = [head, rows[1]!, row({ Scenario: 'BUD28', Line: 'Nowhere', State: 'closed' }), row({ Scenario: 'BUD28', State: 'shut' })];
		const faulty = await bringLocks(osric, MODEL, { grid: wrong, bring: true });
		expect(faulty.faults.map(({ row: at }) => at)).toEqual([3, 4]);
		expect((await stateOf('BUD28', 'AMB')).state).toBe('open');
	});
});

describe('what drives the board', () => {
	test('is chosen anew with what becomes of the states asked first; the scenario stays', async () => {
		const drivers = DRIVERS.map((name) => dimension.get(name)!);
		expect(await faultOf(setDrivers(osric, MODEL, { dimensions: drivers.slice(1) }))).toMatchObject({ status: 422 });
		const without = drivers.filter((id) => id !== dimension.get('Department'));
		expect(await setDrivers(osric, MODEL, { dimensions: without })).toMatchObject({ kind: 'states', count: 3 });
		await setDrivers(osric, MODEL, { dimensions: without, away: false });
		// They stay in force beside the board.
		expect((await readBoardHead(osric, MODEL)).others.map(({ name }) => name)).toContain(
			'Stretch plan FY2028–29, Group services, Fleet care'
		);
		expect(await setDrivers(osric, MODEL, { dimensions: drivers })).toEqual({ kind: 'set' });
		expect((await setDrivers(osric, MODEL, { dimensions: [] })).kind).toBe('states');
	});
	test('a lock beside the board can be taken away, and comes back', async () => {
		const { others } = await readBoardHead(osric, MODEL);
		const dues = others.find(({ name }) => name.startsWith('Harbour dues'))!;
		const { change } = await dropLocks(osric, MODEL, { locks: [dues.id] });
		expect((await readBoardHead(osric, MODEL)).others.length).toBe(others.length - 1);
		await takeBackLocks(osric, MODEL, { id: change!, reason: '' });
		expect((await readBoardHead(osric, MODEL)).others.length).toBe(others.length);
	});
});

test('a month is closed, and opened again with a reason only', async () => {
	const actual = () => readPeriodClose(osric, MODEL).then(({ scenarios }) => scenarios.find(({ id }) => id === ids.get('ACT'))!);
	expect((await actual()).closedTo?.name).toBe('Aug 2026');
	await closePeriods(osric, MODEL, { scenario: ids.get('ACT')!, to: ids.get('2026-09')!, reason: '' });
	expect((await actual()).closedTo?.name).toBe('Sep 2026');
	expect(await faultOf(closePeriods(osric, MODEL, { scenario: ids.get('ACT')!, to: ids.get('2026-08')!, reason: '' }))).toMatchObject({
		status: 422
	});
	await closePeriods(osric, MODEL, { scenario: ids.get('ACT')!, to: ids.get('2026-08')!, reason: 'a late invoice' });
	expect((await actual()).closedTo?.name).toBe('Aug 2026');
	expect((await lockHistory(osric, MODEL))[0]).toMatchObject({ layer: 'period close', reason: 'a late invoice', person: 'Osric Hale' });
	expect(await faultOf(closePeriods(imke, MODEL, { scenario: ids.get('ACT')!, to: null, reason: 'x' }))).toMatchObject({ status: 403 });
});
