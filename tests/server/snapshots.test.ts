import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import {
	branchHere,
	compare,
	comparisonFile,
	deleteSnapshot,
	makeBranch,
	partChoices,
	snapshotFor,
	snapshotsFor,
	takeSnapshot
} from '../../src/lib/server/branch';
import { pack, unpack } from '../../src/lib/server/database/packed';
import { stopEngines } from '../../src/lib/server/engine';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let osric: SignedIn;
let tove: SignedIn;
let caspar: SignedIn;
const MODEL = 1;
const FORM = 'route-contribution';
const ids = new Map<string, number>();
const dimension = new Map<string, number>();

beforeAll(async () => {
	house = await openHouse('snapshots');
	[osric, tove, caspar] = (await Promise.all(['Osric', 'Tove', 'Caspar'].map((name) => house.person(name, MODEL)))) as [
		SignedIn,
		SignedIn,
		SignedIn
	];
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		if (['Scenario', 'Line', 'Department'].includes(name) || code === 'R06') ids.set(code, id);
		dimension.set(name, of);
	}
});
afterAll(() => house.close());

const choices = (scenario = 'BUD28') => ({
	members: {
		[dimension.get('Line')!]: ids.get('NOR')!,
		[dimension.get('Route')!]: ids.get('R06')!,
		[dimension.get('Department')!]: ids.get('BK')!,
		[dimension.get('Scenario')!]: ids.get(scenario)!
	},
	currency: 'local'
});
async function type(person: SignedIn, value: number, row = 'Coaches', column = 'May 2027'): Promise<void> {
	const { form } = await openForm(person, MODEL, FORM, choices());
	const at = { row: form.rows.findIndex(({ label }) => label === row), column: form.columns.findIndex(({ label }) => label === column) };
	const entries = [{ ...at, text: String(value) }];
	expect((await enterFigures(person, MODEL, FORM, choices(), { entries, structure: form.structure })).faults).toEqual([]);
	expect(await saveDraft(person, MODEL, FORM, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'saved' });
}
/** What each side shows at a cell. */
async function shown(sides: string[], row = 'Coaches', column = 'May 2027', person = osric, scenario = 'BUD28') {
	const found = await compare(person, MODEL, { form: FORM, choices: choices(scenario), sides });
	const at =
		found.rows.findIndex(({ label }) => label === row) * found.columns.length + found.columns.findIndex(({ label }) => label === column);
	return found.sides.map(({ values }) => values[at]!);
}
const terms = (name: string, more: object = {}) => ({ name, purpose: '', branch: null, part: {}, ...more });
const budget = () => ({ [dimension.get('Scenario')!]: [ids.get('BUD28')!] });

describe('a snapshot', () => {
	test('shows what stood when it was taken: totals, computed figures and ratios, whatever is typed later', async () => {
		const rows = ['Coaches', 'Revenue', 'Operating contribution', 'Revenue a passenger', 'Sea allowance'];
		const plan = await Promise.all(rows.map(async (row) => (await shown(['plan'], row, 'FY2028'))[0]!));
		const { id, cells } = await takeSnapshot(osric, MODEL, terms('Before the storm', { part: budget() }));
		expect(cells).toBeGreaterThan(1_000);
		expect(await snapshotFor(osric, MODEL, id)).toMatchObject({ part: 'Budget FY2028', takenBy: { name: 'Osric Hale' }, cells });
		const was = (await shown(['plan']))[0]!;
		await type(osric, Math.round(was) + 5_000);
		for (const [at, row] of rows.entries()) expect((await shown([`s${id}`], row, 'FY2028'))[0]).toBeCloseTo(plan[at]!, 5);
		const [first, now] = await shown([`s${id}`, 'plan']);
		expect([first, now]).toEqual([was, Math.round(was) + 5_000]);
		// Outside the part that was taken there is nothing.
		expect(await shown([`s${id}`], 'Coaches', 'May 2027', osric, 'STR').catch(() => [null])).toEqual([null]);
	});

	test('stays as it was when members are renamed, a rate changes, or a formula; the plan moves', async () => {
		const { id } = await takeSnapshot(osric, MODEL, terms('As it stood', { part: budget() }));
		const look = async () => {
			const found = await compare(osric, MODEL, { form: FORM, choices: { ...choices(), currency: 'EUR' }, sides: [`s${id}`] });
			return { values: found.sides[0]!.values, rows: found.rows.map(({ label }) => label) };
		};
		const before = await look();
		expect(before.values.filter((value) => value !== null).length).toBeGreaterThan(100);
		await house.database.pool.query("UPDATE member SET name = 'Charabancs' WHERE name = 'Coaches'");
		await house.database.pool.query('UPDATE rate SET value = value * 2');
		await house.database.pool.query(
			`UPDATE formula SET expression = '{"kind": "number", "value": 1}' WHERE timing = 'after totals' AND model_id = $1`,
			[MODEL]
		);
		await house.database.pool.query('UPDATE model SET structure_version = structure_version + 1');
		const plan = await compare(osric, MODEL, { form: FORM, choices: { ...choices(), currency: 'EUR' }, sides: ['plan', `s${id}`] });
		expect(plan.rows.map(({ label }) => label)).toContain('Charabancs');
		expect(plan.sides[0]!.values).not.toEqual(plan.sides[1]!.values);
		expect(await look()).toEqual(before);
		// Held against the plan the figures of the same account stand beside one another, whatever it is called.
		const at = plan.rows.findIndex(({ label }) => label === 'Charabancs') * plan.columns.length;
		expect(plan.sides[1]!.values[at]).toBe(before.values[before.rows.indexOf('Coaches') * plan.columns.length]);
		await house.database.pool.query("UPDATE member SET name = 'Coaches' WHERE name = 'Charabancs'");
		await house.database.pool.query('UPDATE model SET structure_version = structure_version + 1');
	});

	test('of a branch shows the branch, to those who may look at it', async () => {
		const { id: branch } = await makeBranch(osric, MODEL, { name: 'Held', purpose: '', due: null, everybody: 'nothing', people: [] });
		const mine = { ...osric, branch: await branchHere(osric, MODEL, branch) };
		await type(mine, 77);
		const { id } = await takeSnapshot(osric, MODEL, terms('Held as it was', { branch, part: budget() }));
		await type(mine, 78);
		expect((await shown([`s${id}`, `b${branch}`])).slice(0, 2)).toEqual([77, 78]);
		expect((await snapshotsFor(osric, MODEL)).map((each) => each.id)).toContain(id);
		expect((await snapshotsFor(tove, MODEL)).map((each) => each.id)).not.toContain(id);
		expect((await faultOf(shown([`s${id}`], 'Coaches', 'May 2027', tove))).status).toBe(404);
		expect((await faultOf(takeSnapshot(tove, MODEL, terms('Peeping', { branch })))).status).toBe(404);
	});

	test('is told why it is not taken: a name that is had, nothing there, a member that is gone, no right', async () => {
		await takeSnapshot(osric, MODEL, terms('Once', { part: budget() }));
		expect((await faultOf(takeSnapshot(osric, MODEL, terms('once', { part: budget() })))).status).toBe(409);
		expect((await faultOf(takeSnapshot(osric, MODEL, terms('Gone', { part: { [dimension.get('Scenario')!]: [999_999] } })))).status).toBe(
			422
		);
		expect((await faultOf(takeSnapshot(osric, MODEL, terms('Wrong', { part: { 999_999: [ids.get('BUD28')!] } })))).status).toBe(422);
		const part = { ...budget(), [dimension.get('Route')!]: [ids.get('R06')!], [dimension.get('Line')!]: [ids.get('SKE')!] };
		expect((await faultOf(takeSnapshot(osric, MODEL, terms('Empty', { part })))).message).toContain('no figure');
		expect((await faultOf(takeSnapshot(caspar, MODEL, terms('Reviewed')))).status).toBe(403);
	});

	test('taken before the model got another dimension is told not to fit, and shows again when that is gone', async () => {
		const { id } = await takeSnapshot(osric, MODEL, terms('Before it grew', { part: budget() }));
		const before = (await shown([`s${id}`]))[0];
		const { pool } = house.database;
		// As a model package of before would have it: what is stored of the snapshot knows one dimension less than the form.
		const version = dimension.get('Version')!;
		const stored = await pool.query<{ definition: Buffer }>('SELECT definition FROM snapshot WHERE id = $1', [id]);
		const definition = await unpack<{ dimensions: { id: number }[] }>(stored.rows[0]!.definition);
		const smaller = { ...definition, dimensions: definition.dimensions.filter((each) => each.id !== version) };
		await pool.query('UPDATE snapshot SET definition = $2 WHERE id = $1', [id, await pack(smaller)]);
		await stopEngines();
		const fault = await faultOf(shown([`s${id}`]));
		expect([fault.status, fault.message]).toEqual([422, expect.stringContaining('does not fit')]);
		await pool.query('UPDATE snapshot SET definition = $2 WHERE id = $1', [id, stored.rows[0]!.definition]);
		await stopEngines();
		expect((await shown([`s${id}`]))[0]).toBe(before);
	});

	test('is deleted by who took it, or who merges; others are told', async () => {
		const { id } = await takeSnapshot(tove, MODEL, terms('Hers', { part: budget() }));
		const piet = await house.person('Piet', MODEL);
		expect((await faultOf(deleteSnapshot(piet, MODEL, { id }))).status).toBe(403);
		await deleteSnapshot(osric, MODEL, { id });
		expect((await faultOf(shown([`s${id}`]))).status).toBe(404);
	});

	test('shows who reads a part what they may read of it', async () => {
		const { posts, line } = house;
		const maren = await house.person('Maren', posts);
		const hers = await house.person('Imke', posts);
		expect(hers.readsPart).toBe(true);
		const { id } = await takeSnapshot(maren, posts, terms('Posts'));
		const forms = await house.database.pool.query<{ code: string }>('SELECT code FROM form WHERE model_id = $1 ORDER BY id', [posts]);
		// Skerry is not hers: asked for, her own line shows.
		const skerry = await house.member('SKE');
		let restricted = 0;
		for (const { code } of forms.rows) {
			const of = (person: SignedIn, side: string) =>
				compare(person, posts, { form: code, choices: { members: { [line]: skerry } }, sides: [side] });
			const [all, part, today] = [await of(maren, `s${id}`), await of(hers, `s${id}`), await of(hers, 'plan')];
			expect(part.sides[0]!.values).toEqual(today.sides[0]!.values);
			if (JSON.stringify(all.sides[0]!.values) !== JSON.stringify(part.sides[0]!.values)) restricted++;
		}
		expect(restricted).toBeGreaterThan(0);
		expect((await snapshotsFor(hers, posts))[0]).toMatchObject({ cells: null });
		expect((await partChoices(hers, posts)).map((each) => each.id)).not.toContain(line);
		expect((await partChoices(maren, posts)).map((each) => each.id)).toContain(line);
	});
});

describe('side by side', () => {
	test('the plan in another scenario, and all of it as a workbook', async () => {
		const [now, stretch] = await shown(['plan', `m${ids.get('STR')}`]);
		expect([now, stretch]).toEqual([(await shown(['plan']))[0], (await shown(['plan'], 'Coaches', 'May 2027', osric, 'STR'))[0]]);
		const asked = { form: FORM, choices: choices(), sides: ['plan', `m${ids.get('STR')}`] };
		expect((await comparisonFile(osric, MODEL, asked)).name).toContain('Stretch plan');
		expect((await faultOf(compare(osric, MODEL, { ...asked, sides: ['plan', 'm1'] }))).status).toBe(422);
		expect((await faultOf(compare(osric, MODEL, { ...asked, sides: ['plan', 's99999'] }))).status).toBe(404);
	});
});
