import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { snapshotsFor } from '../../src/lib/server/branch';
import { countUpStructure } from '../../src/lib/server/database/structure-version';
import { transaction } from '../../src/lib/server/database';
import {
	assignUnits,
	copyRound,
	endRound,
	feedOf,
	listRounds,
	lookAtSubmission,
	makeFeedKey,
	moveUnits,
	myWork,
	previewRound,
	readMessages,
	roundBoard,
	saveRound,
	startRound,
	tellDue,
	unitKey,
	unitView,
	writeLetters,
	type RoundDefinition,
	type UnitsToMove
} from '../../src/lib/server/cycle';
import { enterFigures, openForm, saveDraft } from '../../src/lib/server/form';
import { memberUses, readFormulas, setFormulas } from '../../src/lib/server/structure';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
const MODEL = 1;
const FORM = 'route-contribution';
const ids = new Map<string, number>();
const dimension = new Map<string, number>();
const who = new Map<string, SignedIn>();

beforeAll(async () => {
	house = await openHouse('cycle');
	for (const name of ['Osric', 'Imke', 'Tove', 'Runa', 'Vera', 'Maren', 'Lidia']) who.set(name, await house.person(name, MODEL));
	const members = await house.database.pool.query<{ id: number; code: string; dimension: number; name: string }>(
		`SELECT m.id, m.code, d.id AS dimension, d.name FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id, code, dimension: of, name } of members.rows) {
		if (['Scenario', 'Line', 'Department', 'Period'].includes(name) || ['R06', 'ALLROUTES'].includes(code)) ids.set(code, id);
		dimension.set(name, of);
	}
});
afterAll(() => house.close());

const line = () => dimension.get('Line')!;
const definition = (more: Partial<RoundDefinition['settings']> = {}, name = 'Budget round'): RoundDefinition => ({
	name,
	scenario: ids.get('BUD28')!,
	from: ids.get('2027-04')!,
	to: ids.get('2028-03')!,
	settings: {
		dimensions: [line(), dimension.get('Department')!],
		// Booking offices alone: of Northgate and Skerry.
		leaveOut: [
			...['AMB', 'SVC'].map((code) => unitKey([ids.get(code)!])),
			...['NOR', 'SKE'].flatMap((code) =>
				['DK', 'EN', 'SH', 'TM', 'FC', 'AD', 'NODEP'].map((of) => unitKey([ids.get(code)!, ids.get(of)!]))
			)
		],
		owners: [{ dimension: line(), by: 'owner' }],
		reviews: [[{ dimension: line(), by: 'reviewers' }]],
		named: [{ unit: unitKey([ids.get('GROUP')!]), owner: who.get('Osric')!.id, reviewers: [who.get('Maren')!.id] }],
		due: [],
		remind: 2,
		snapshots: 'both',
		forms: [],
		alsoChecked: [],
		checks: 'bar',
		compared: null,
		instructions: '',
		...more
	}
});
let round = 0;
/** A unit’s id by the names of its line and department. */
async function unit(name: string, above?: string): Promise<number> {
	const { units } = await roundBoard(who.get('Osric'), MODEL, round);
	const found = units.find(
		(each) => each.name === name && (above === undefined || units.find(({ id }) => id === each.parent)?.name === above)
	);
	return found!.id;
}
const stateOf = async (id: number) => (await roundBoard(who.get('Osric'), MODEL, round)).units.find((each) => each.id === id)!.state;
const move = async (by: string, id: number, what: UnitsToMove['move'], more: Partial<UnitsToMove> = {}) =>
	(await moveUnits(who.get(by), MODEL, { round, units: [id], move: what, note: '', fields: [], accepts: false, ...more })).results[0]!;
async function type(by: string, column: string, text: string): Promise<string | undefined> {
	const person = who.get(by)!;
	const choices = {
		members: { [line()]: ids.get('NOR')!, [dimension.get('Route')!]: ids.get('R06')!, [dimension.get('Department')!]: ids.get('BK')! },
		currency: 'local'
	};
	const { form } = await openForm(person, MODEL, FORM, choices);
	const outcome = await enterFigures(person, MODEL, FORM, choices, {
		entries: [
			{
				row: form.rows.findIndex(({ label }) => label === 'Coaches'),
				column: form.columns.findIndex(({ label }) => label === column),
				text
			}
		],
		structure: form.structure
	});
	return outcome.faults[0]?.message;
}
const drafted = async (by: string) =>
	(
		await house.database.pool.query<{ n: number }>(
			'SELECT count(*)::integer AS n FROM draft_cell c JOIN draft d ON d.id = c.draft_id WHERE d.person_id = $1',
			[who.get(by)!.id]
		)
	).rows[0]!.n;

test('a round says who gets what before it starts, and starts only when each unit has an owner', async () => {
	const { units } = await previewRound(who.get('Osric'), MODEL, definition());
	expect(units.map(({ name, depth }) => `${depth} ${name}`)).toEqual([
		'0 Brinewater group',
		'1 Northgate Line',
		'2 Booking office',
		'1 Skerry Line',
		'2 Booking office'
	]);
	expect(units[2]).toMatchObject({ owner: who.get('Imke')!.id, reviewers: [[who.get('Runa')!.id]] });
	expect(units[0]).toMatchObject({ owner: who.get('Osric')!.id, reviewers: [[who.get('Maren')!.id]] });
	const saved = await saveRound(who.get('Osric'), MODEL, { id: null, version: 0, ...definition({ owners: [], named: [] }) });
	round = saved.id;
	expect((await faultOf(startRound(who.get('Osric'), MODEL, { id: round }))).message).toMatch(/have no owner: Brinewater group/);
	expect(await faultOf(saveRound(who.get('Osric'), MODEL, { id: round, version: 7, ...definition() }))).toMatchObject({ status: 409 });
	await saveRound(who.get('Osric'), MODEL, { id: round, version: 1, ...definition() });
	expect(await faultOf(startRound(who.get('Imke'), MODEL, { id: round }))).toMatchObject({ status: 403 });
	expect(await startRound(who.get('Osric'), MODEL, { id: round })).toEqual({ units: 5 });
	expect(await faultOf(startRound(who.get('Osric'), MODEL, { id: round }))).toMatchObject({ status: 409 });
	const other = await copyRound(who.get('Osric'), MODEL, { id: round });
	expect((await faultOf(startRound(who.get('Osric'), MODEL, other))).message).toMatch(/runs over the same figures/);
	expect((await readMessages(who.get('Imke'), MODEL))[0]).toMatchObject({
		kind: 'start',
		subject: expect.stringContaining('2 units to fill') as string
	});
});

describe('a unit', () => {
	test('begins with what is saved, is submitted with one’s draft, held, returned, and approved by its reviewer', async () => {
		const office = await unit('Booking office', 'Northgate Line');
		expect(await stateOf(office)).toBe('not started');
		expect(await type('Imke', 'Apr 2027', '111')).toBeUndefined();
		await saveDraft(who.get('Imke')!, MODEL, FORM, { keepMine: [], takeTheirs: [] });
		expect([await stateOf(office), await stateOf(await unit('Northgate Line')), await stateOf(await unit('Brinewater group'))]).toEqual([
			'in progress',
			'in progress',
			'in progress'
		]);
		// One’s own draft within it goes along; somebody else’s is told of and stays.
		expect(await type('Imke', 'May 2027', '222')).toBeUndefined();
		expect(await type('Osric', 'Jun 2027', '333')).toBeUndefined();
		expect(await lookAtSubmission(who.get('Imke'), MODEL, { round, unit: office })).toMatchObject({
			own: 1,
			others: [{ name: 'Osric Hale', cells: 1 }],
			open: []
		});
		expect(await faultOf(move('Tove', office, 'submit'))).toMatchObject({ status: 403 });
		expect(await move('Imke', office, 'submit', { note: 'as agreed' })).toMatchObject({ kind: 'moved', state: 'submitted', saved: 1 });
		expect([await drafted('Imke'), await drafted('Osric')]).toEqual([0, 1]);
		expect(await type('Imke', 'Jul 2027', '1')).toMatch(/^Budget round, Northgate Line, Booking office: submitted is held by Imke Solberg/);
		expect(await saveDraft(who.get('Osric')!, MODEL, FORM, { keepMine: [], takeTheirs: [] })).toMatchObject({ kind: 'refused' });
		expect((await readMessages(who.get('Runa'), MODEL))[0]).toMatchObject({ kind: 'submitted' });
		expect((await myWork(who.get('Runa')!, MODEL)).review.map(({ name }) => name)).toContain('Northgate Line, Booking office');
		const view = await unitView(who.get('Runa'), MODEL, { round, unit: office });
		expect(view.may).toEqual(['return', 'approve']);
		expect(view.moved).toMatchObject({ totals: 0, cells: 0 });
		expect(view.moves[0]).toMatchObject({ move: 'submit', note: 'as agreed' });
		expect(view.moves[0]!.cells).toBeGreaterThan(50);
		// Sent back without a word it is not; with one it is its owner’s again.
		expect(await faultOf(move('Runa', office, 'return'))).toMatchObject({ status: 422 });
		await move('Runa', office, 'return', { note: 'winter?', fields: [{ account: 'Coaches', words: 'too many in May' }] });
		expect((await myWork(who.get('Imke')!, MODEL)).returned[0]).toMatchObject({ note: 'winter?' });
		expect(await type('Imke', 'May 2027', '221')).toBeUndefined();
		expect(await move('Imke', office, 'submit')).toMatchObject({ saved: 1 });
		expect(await faultOf(move('Imke', office, 'approve'))).toMatchObject({ status: 403 });
		expect(await move('Runa', office, 'approve')).toMatchObject({ kind: 'moved', state: 'approved' });
		expect(await type('Imke', 'May 2027', '1')).toMatch(/is closed/);
		expect(await faultOf(move('Runa', office, 'approve'))).toMatchObject({ status: 409 });
	});

	test('is compared with its figures as they were submitted: what moved since is accepted, or it is not approved', async () => {
		const office = await unit('Booking office', 'Skerry Line');
		await move('Tove', office, 'submit');
		// A price of the head office, say, moves it while it is held.
		await house.database.pool.query("INSERT INTO access_grant (model_id, person_id, name, level) VALUES (1, $1, 'All', 'write')", [
			who.get('Maren')!.id
		]);
		await transaction(async (client) => {
			await client.query("UPDATE access_lock SET state = 'open' WHERE id = (SELECT lock_id FROM cycle_unit WHERE id = $1)", [office]);
			await countUpStructure(client, [MODEL], 'locks');
		});
		const choices = {
			members: { [line()]: ids.get('SKE')!, [dimension.get('Route')!]: ids.get('R06')!, [dimension.get('Department')!]: ids.get('BK')! },
			currency: 'local'
		};
		const { form } = await openForm(who.get('Maren')!, MODEL, FORM, choices);
		await enterFigures(who.get('Maren')!, MODEL, FORM, choices, {
			entries: [
				{
					row: form.rows.findIndex(({ label }) => label === 'Coaches'),
					column: form.columns.findIndex(({ label }) => label === 'Sep 2027'),
					text: '4321'
				}
			],
			structure: form.structure
		});
		await saveDraft(who.get('Maren')!, MODEL, FORM, { keepMine: [], takeTheirs: [] });
		const asked = await move('Runa', office, 'approve');
		if (asked.kind !== 'asks') throw new Error(asked.kind);
		expect(asked.moved!.cells).toBe(1);
		const coaches = asked.moved!.lines.find(({ account }) => account === 'Coaches')!;
		expect([coaches.period, coaches.after! - coaches.before!]).toEqual(['Sep 2027', 4321]);
		// What is worked out from it moved too.
		expect(asked.moved!.lines.map(({ account }) => account)).toContain('Contribution margin');
		expect(await stateOf(office)).toBe('submitted');
		expect(await move('Runa', office, 'approve', { accepts: true })).toMatchObject({ kind: 'moved', state: 'approved' });
	});

	test('what is worked out moves with its formula, and no cell of the unit with it: approval names the totals', async () => {
		// By hand: the margin twice as it was is twice in every month.
		const office = await unit('Skerry Line');
		expect(await stateOf(office)).toBe('in progress');
		await move('Tove', office, 'submit');
		const margin = await house.database.pool.query<{ account: number }>(
			"SELECT f.account_id AS account FROM formula f JOIN member m ON m.id = f.account_id WHERE f.model_id = 1 AND m.name = 'Contribution margin'"
		);
		expect(margin.rowCount).toBe(1);
		const { formulas } = await readFormulas(who.get('Maren'), MODEL, margin.rows[0]!.account);
		const twice = formulas.map((formula) => ({ ...formula, text: `(${formula.text}) * 2` }));
		await setFormulas(who.get('Maren'), MODEL, { account: margin.rows[0]!.account, formulas: twice, was: formulas } as never);
		const asked = await move('Runa', office, 'approve');
		if (asked.kind !== 'asks') throw new Error(asked.kind);
		expect(asked.moved!.cells).toBe(0);
		const line = asked.moved!.lines.find(({ account }) => account === 'Contribution margin')!;
		expect(line.after! / line.before!).toBeCloseTo(2, 9);
		await setFormulas(who.get('Maren'), MODEL, { account: margin.rows[0]!.account, formulas, was: twice } as never);
		// As it was again, nothing moved: it is approved without a question.
		expect(await move('Runa', office, 'return', { note: 'later' })).toMatchObject({ state: 'returned' });
	});

	test('completes after those beneath it; opened again, it brings back what went on above', async () => {
		const [group, north, skerry] = [await unit('Brinewater group'), await unit('Northgate Line'), await unit('Skerry Line')];
		expect((await faultOf(move('Osric', group, 'submit'))).message).toMatch(/completes after those beneath/);
		await move('Imke', north, 'submit');
		await move('Runa', north, 'approve');
		await move('Tove', skerry, 'submit');
		await move('Runa', skerry, 'approve');
		// What its owner has typed in a unit beneath and not saved is that unit’s: it neither goes along nor bars.
		expect(await move('Osric', group, 'submit')).toMatchObject({ kind: 'moved', saved: 0 });
		expect(await drafted('Osric')).toBe(1);
		// The round says so: of the whole a snapshot is kept, of what lies beneath none.
		expect((await snapshotsFor(who.get('Osric')!, MODEL)).filter(({ through }) => through !== '')).toMatchObject([
			{ name: 'Brinewater group, submitted', part: 'Brinewater group · Budget FY2028', through: 'Budget round: Brinewater group submitted' }
		]);
		const office = await unit('Booking office', 'Northgate Line');
		expect((await unitView(who.get('Runa'), MODEL, { round, unit: office })).above).toEqual(['Northgate Line', 'Brinewater group']);
		expect(await faultOf(move('Runa', office, 'reopen'))).toMatchObject({ status: 422 });
		expect(await move('Runa', office, 'reopen', { note: 'a ferry less' })).toMatchObject({
			state: 'returned',
			brought: ['Northgate Line', 'Brinewater group']
		});
		expect([await stateOf(office), await stateOf(north), await stateOf(group), await stateOf(skerry)]).toEqual([
			'returned',
			'returned',
			'returned',
			'approved'
		]);
		expect(await type('Imke', 'Aug 2027', '5')).toBeUndefined();
	});

	test('two reviewers at once: one is done, the other is told', async () => {
		const office = await unit('Booking office', 'Northgate Line');
		await move('Imke', office, 'submit');
		const both = await Promise.allSettled([move('Runa', office, 'approve'), move('Osric', office, 'return', { note: 'no' })]);
		expect(both.filter(({ status }) => status === 'fulfilled')).toHaveLength(1);
		expect(['approved', 'returned']).toContain(await stateOf(office));
		if ((await stateOf(office)) === 'approved') await move('Runa', office, 'reopen', { note: 'again' });
	});

	test('approved while its owner saves: the save is in it, or it is refused; never both', async () => {
		const office = await unit('Booking office', 'Northgate Line');
		expect(await type('Imke', 'Oct 2027', '77')).toBeUndefined();
		await move('Osric', office, 'submit');
		const draft = await drafted('Imke');
		const [saved, approved] = await Promise.all([
			saveDraft(who.get('Imke')!, MODEL, FORM, { keepMine: [], takeTheirs: [] }),
			move('Runa', office, 'approve').catch((error: unknown) => error)
		]);
		expect(saved.kind).toBe('refused');
		expect(approved).toMatchObject({ kind: 'moved' });
		expect(await drafted('Imke')).toBe(draft);
		await move('Runa', office, 'reopen', { note: 'again' });
		expect((await saveDraft(who.get('Imke')!, MODEL, FORM, { keepMine: [], takeTheirs: [] })).kind).toBe('saved');
	});

	test('is recalled by its owner before it is reviewed, and given another owner who is active', async () => {
		const office = await unit('Booking office', 'Northgate Line');
		await move('Imke', office, 'submit');
		expect(await faultOf(move('Tove', office, 'recall'))).toMatchObject({ status: 403 });
		expect(await move('Imke', office, 'recall')).toMatchObject({ state: 'in progress' });
		await assignUnits(who.get('Osric'), MODEL, { round, units: [office], owner: who.get('Tove')!.id });
		expect(await faultOf(move('Imke', office, 'submit'))).toMatchObject({ status: 403 });
		await house.database.pool.query('UPDATE person SET active = false WHERE id = $1', [who.get('Lidia')!.id]);
		expect(await faultOf(assignUnits(who.get('Osric'), MODEL, { round, units: [office], owner: who.get('Lidia')!.id }))).toMatchObject({
			status: 422
		});
		await house.database.pool.query('UPDATE cycle_unit SET owner_id = $2 WHERE id = $1', [office, who.get('Lidia')!.id]);
		const { units } = await roundBoard(who.get('Osric'), MODEL, round);
		expect(units.find(({ id }) => id === office)!.owner).toMatchObject({ active: false });
		await assignUnits(who.get('Osric'), MODEL, { round, units: [office], owner: who.get('Imke')!.id, due: '2020-01-01' });
		await house.database.pool.query('UPDATE person SET active = true WHERE id = $1', [who.get('Lidia')!.id]);
	});
});

test('what a round names is used: it is told, and not deleted under it', async () => {
	const maren = who.get('Maren')!;
	const uses = (await memberUses(maren, MODEL, 'scenario', ids.get('BUD28')!)).filter(({ kind }) => kind === 'round' || kind === 'lock');
	// The round that runs and its copy that is planned; their locks are told by them.
	expect(
		uses
			.filter(({ kind }) => kind === 'round')
			.map(({ name }) => name)
			.sort()
	).toEqual(['Budget round', 'Budget round, again', 'Stretch plan, first round']);
	expect(uses.map(({ name }) => name).join()).not.toContain('Booking office');
});

test('a check that cannot tell never passes as held', async () => {
	await house.database.pool.query(
		"UPDATE round SET settings = jsonb_set(settings, '{forms}', to_jsonb(ARRAY[(SELECT id FROM form WHERE model_id = 1 AND code = 'net-assets')])) WHERE id = $1",
		[round]
	);
	const office = await unit('Booking office', 'Northgate Line');
	const look = await lookAtSubmission(who.get('Imke'), MODEL, { round, unit: office });
	expect(look.checks.length).toBeGreaterThan(0);
	await house.database.pool.query(
		"UPDATE form SET roles = ARRAY[(SELECT id FROM role WHERE code = 'auditor')] WHERE model_id = 1 AND code = 'net-assets'"
	);
	expect((await lookAtSubmission(who.get('Imke'), MODEL, { round, unit: office })).checks).toMatchObject([{ state: 'cannot tell' }]);
	expect((await faultOf(move('Imke', office, 'submit'))).message).toMatch(/does not hold/);
	await house.database.pool.query("UPDATE form SET roles = '{}' WHERE model_id = 1 AND code = 'net-assets'");
	await house.database.pool.query("UPDATE round SET settings = jsonb_set(settings, '{forms}', '[]') WHERE id = $1", [round]);
});

test('forms that nobody fills are checked too; one that was deleted cannot tell; a round of before says nothing of them', async () => {
	const office = await unit('Booking office', 'Northgate Line');
	const set = (value: string) =>
		house.database.pool.query("UPDATE round SET settings = settings || jsonb_build_object('alsoChecked', $2::jsonb) WHERE id = $1", [
			round,
			value
		]);
	const { rows } = await house.database.pool.query<{ id: number }>("SELECT id FROM form WHERE model_id = 1 AND code = 'net-assets'");
	await set(JSON.stringify([rows[0]!.id]));
	const view = await unitView(who.get('Imke'), MODEL, { round, unit: office });
	expect(view.forms).toEqual([]);
	expect(view.checks.map(({ form }) => form)).toEqual(['Net assets', 'Net assets']);
	expect((await lookAtSubmission(who.get('Imke'), MODEL, { round, unit: office })).checks).toEqual(view.checks);
	await set('[999999]');
	expect((await unitView(who.get('Imke'), MODEL, { round, unit: office })).checks).toMatchObject([{ state: 'cannot tell' }]);
	expect((await faultOf(move('Imke', office, 'submit'))).message).toMatch(/does not hold/);
	await house.database.pool.query("UPDATE round SET settings = settings - 'alsoChecked' WHERE id = $1", [round]);
	expect((await unitView(who.get('Imke'), MODEL, { round, unit: office })).checks).toEqual([]);
});

test('a unit is shown with what its upper accounts come to, held against another scenario’s latest year', async () => {
	const line = await unit('Northgate Line');
	const compared = async (scenario: string | null) => {
		await house.database.pool.query("UPDATE round SET settings = settings || jsonb_build_object('compared', $2::integer) WHERE id = $1", [
			round,
			scenario === null ? null : ids.get(scenario)!
		]);
		return (await unitView(who.get('Osric'), MODEL, { round, unit: line })).figures!;
	};
	const alone = await compared(null);
	expect(alone.columns).toEqual([{ name: 'FY2028', against: null }]);
	const revenue = (of: typeof alone) => of.lines.find(({ account }) => account === 'Revenue')!;
	expect(revenue(alone).values[0]!.value).toBeGreaterThan(1_000);
	expect(revenue(alone)).toMatchObject({ favourable: 1, values: [{ against: null }] });
	// The outlook tells of the year before: that is what stands beside.
	const beside = await compared('OUT27');
	expect(beside.columns).toEqual([{ name: 'FY2028', against: 'Outlook FY2027' }]);
	expect(revenue(beside).values[0]!.value).toBe(revenue(alone).values[0]!.value);
	expect(revenue(beside).values[0]!.against).toBeGreaterThan(1_000);
	// What the form of the line shows is what is told here.
	expect(alone.at).not.toBe('');
	const members = {
		[dimension.get('Line')!]: ids.get('NOR')!,
		[dimension.get('Route')!]: ids.get('ALLROUTES')!,
		[dimension.get('Department')!]: ids.get('ALLDEP')!,
		[dimension.get('Scenario')!]: ids.get('BUD28')!,
		[dimension.get('Version')!]: (
			await house.database.pool.query<{ id: number }>('SELECT id FROM member WHERE name = $1 AND dimension_id = $2', [
				alone.at,
				dimension.get('Version')
			])
		).rows[0]!.id
	};
	const { form } = await openForm(who.get('Osric')!, MODEL, FORM, { members, currency: 'local' });
	const shown =
		form.values[
			form.rows.findIndex(({ label }) => label === 'Revenue') * form.columns.length +
				form.columns.findIndex(({ label }) => label === 'FY2028')
		]!;
	expect(revenue(alone).values[0]!.value).toBeCloseTo(shown, 4);
	await compared(null);
});

test('people are told once that a unit is late; letters come at once or one a day', async () => {
	expect(await tellDue()).toBeGreaterThanOrEqual(1);
	expect(await tellDue()).toBe(0);
	expect((await readMessages(who.get('Imke'), MODEL))[0]).toMatchObject({ kind: 'late' });
	await house.database.pool.query("UPDATE person SET told = 'daily' WHERE id = $1", [who.get('Runa')!.id]);
	await writeLetters();
	const waiting = () =>
		house.database.pool.query<{ n: number }>('SELECT count(*)::integer AS n FROM message WHERE mailed_at IS NULL AND person_id = $1', [
			who.get('Runa')!.id
		]);
	expect((await waiting()).rows[0]!.n).toBeGreaterThan(1);
	const before = (await house.database.pool.query("SELECT FROM outbox WHERE address LIKE 'runa%'")).rowCount!;
	const tomorrow = new Date();
	tomorrow.setDate(tomorrow.getDate() + 1);
	tomorrow.setHours(9);
	await writeLetters(tomorrow);
	expect((await house.database.pool.query("SELECT FROM outbox WHERE address LIKE 'runa%'")).rowCount).toBe(before + 1);
});

test('what is due is a calendar behind a key, and ends with a new one', async () => {
	const { key } = await makeFeedKey(who.get('Imke'));
	const calendar = await feedOf(key, 'https://plan.example');
	expect(calendar).toMatch(/^BEGIN:VCALENDAR/);
	expect(calendar).toContain('DTSTART;VALUE=DATE:20200101');
	await makeFeedKey(who.get('Imke'));
	expect(await faultOf(feedOf(key, 'https://plan.example'))).toMatchObject({ status: 404 });
});

test('ended, what was approved stays closed, and the rest as one chose', async () => {
	expect(await faultOf(endRound(who.get('Imke'), MODEL, { id: round, closes: true }))).toMatchObject({ status: 403 });
	await endRound(who.get('Osric'), MODEL, { id: round, closes: false });
	expect(await type('Imke', 'Nov 2027', '9')).toBeUndefined();
	expect((await listRounds(who.get('Osric'), MODEL)).find(({ id }) => id === round)).toMatchObject({ state: 'ended' });
	expect(await faultOf(roundBoard(await house.person('Maren'), house.posts, round))).toMatchObject({ status: 404 });
});
