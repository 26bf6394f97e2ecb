import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { transaction } from '../../src/lib/server/database';
import { addressDimensions } from '../../src/lib/server/database/definitions';
import { lockModel, postChangeSet } from '../../src/lib/server/database/change-set';
import { modelVersions } from '../../src/lib/server/database/structure-version';
import { askEngine } from '../../src/lib/server/engine';
import { freezeClosed, lockHistory, readBoardHead, setLocks, takeBackLocks } from '../../src/lib/server/locks';
import { whileRestating } from '../../src/lib/server/restating';
import type { SignedIn } from '../../src/lib/server/session';
import { readFormulas, setFormulas } from '../../src/lib/server/structure';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let osric: SignedIn;
let maren: SignedIn;
const MODEL = 1;
/** By dimension and code. */
const ids = new Map<string, number>();
const id = (dimension: string, code: string) => ids.get(`${dimension} ${code}`)!;

beforeAll(async () => {
	house = await openHouse('frozen');
	osric = await house.person('Osric', MODEL);
	maren = await house.person('Maren', MODEL);
	const members = await house.database.pool.query<{ id: number; code: string; dimension: string }>(
		`SELECT m.id, m.code, d.code AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = 1`
	);
	for (const { id: member, code, dimension } of members.rows) ids.set(`${dimension} ${code}`, member);
});
afterAll(() => house.close());

/** The bonus of the year of a department of a line, as everybody is shown it. */
async function bonus(line: string, department: string): Promise<number> {
	const { values } = await askEngine(MODEL, 'figures', {
		...(await modelVersions(house.database.pool, MODEL)),
		rules: { mayEnter: true, grants: [] },
		rows: { account: ['6195'] },
		columns: { period: ['FY2028'] },
		at: { scenario: 'BUD28', line, department, version: 'WORK' },
		currency: 'local'
	});
	return Number(values[0]![0] ?? 0);
}
/** Multiplies the share of pay a line gives as a bonus, which stands beside all departments. */
async function share(line: string, factor: number): Promise<void> {
	const { pool } = house.database;
	const dimensions = await addressDimensions(pool, MODEL);
	const at = `ARRAY[${dimensions.map((each) => `c.d${each}`).join(', ')}]`;
	const found = await pool.query<{ members: number[]; year: number; amounts: number[]; origin: number }>(
		`SELECT ${at} AS members, c.fiscal_year AS year, c.amounts, c.origin_id AS origin FROM cells_1 c WHERE ${at} @> $1`,
		[[id('account', 'B20'), id('scenario', 'BUD28'), id('line', line), id('version', 'WORK')]]
	);
	expect(found.rows).toHaveLength(1);
	const { members, year, amounts, origin } = found.rows[0]!;
	const before = Float64Array.from(amounts, (each) => each ?? Number.NaN);
	await transaction(async (client) => {
		await lockModel(client, MODEL);
		await postChangeSet(client, { modelId: MODEL, person: null, kind: 'load', through: 'Test', cells: 1 }, dimensions, [
			{ origin, members, year, amounts: before.map((each) => each * factor), before }
		]);
	}, pool);
}
const close = async (state: 'closed' | null, ...members: number[]) => {
	const outcome = await setLocks(osric, MODEL, {
		slices: [members],
		state,
		reason: 'agreed',
		turns: null,
		writers: [],
		seen: (await readBoardHead(osric, MODEL)).seen
	});
	return outcome.kind === 'set' ? outcome.change! : -1;
};

describe('results of live formulas', () => {
	test('stay as they were where they are closed, and follow again once it is opened', async () => {
		const [deck, engine] = [await bonus('AMB', 'DK'), await bonus('AMB', 'EN')];
		expect(Math.min(deck, engine)).toBeGreaterThan(0);
		const change = await close('closed', id('scenario', 'BUD28'), id('line', 'AMB'), id('department', 'DK'));
		expect(await bonus('AMB', 'DK')).toBe(deck);
		await share('AMB', 2);
		expect(await bonus('AMB', 'DK')).toBe(deck);
		expect(await bonus('AMB', 'EN')).toBeCloseTo(engine * 2, 6);
		// What is closed later is frozen as it is then; what was frozen stays as it was.
		const second = await close('closed', id('scenario', 'BUD28'), id('line', 'AMB'), id('department', 'EN'));
		await share('AMB', 0.5);
		expect(await bonus('AMB', 'DK')).toBe(deck);
		expect(await bonus('AMB', 'EN')).toBeCloseTo(engine * 2, 6);
		await takeBackLocks(osric, MODEL, { id: second, reason: '' });
		expect(await bonus('AMB', 'EN')).toBeCloseTo(engine, 6);
		await share('AMB', 3);
		await takeBackLocks(osric, MODEL, { id: change, reason: '' });
		expect(await bonus('AMB', 'DK')).toBeCloseTo(deck * 3, 6);
		await share('AMB', 1 / 3);
	});

	test('are restated by a changed formula with a reason, and by nothing else', async () => {
		const deck = await bonus('AMB', 'DK');
		await close('closed', id('scenario', 'BUD28'), id('line', 'AMB'), id('department', 'DK'));
		const account = id('account', '6195');
		const { formulas } = await readFormulas(maren, MODEL, account);
		const asked = (reason: string | null, text: string, was: typeof formulas) =>
			whileRestating({ may: true, reason, person: osric.id }, () =>
				setFormulas(maren, MODEL, { account, formulas: was.map((each) => ({ ...each, text })), was } as never)
			);
		const { text } = formulas[0]!;
		// Written otherwise and coming to the same, it moves nothing, though a share has moved meanwhile.
		await share('AMB', 2);
		const same = text.replace('"Basic pay" *', '1 * "Basic pay" *');
		await asked(null, same, formulas);
		expect(await bonus('AMB', 'DK')).toBe(deck);
		const twice = same.replace('1 * "Basic pay"', '2 * "Basic pay"');
		const told = await faultOf(asked(null, twice, (await readFormulas(maren, MODEL, account)).formulas));
		expect(told).toMatchObject({ status: 409, code: 'restates' });
		expect(await bonus('AMB', 'DK')).toBe(deck);
		await asked('two months are paid', twice, (await readFormulas(maren, MODEL, account)).formulas);
		// By the share as it is now: it is computed anew.
		expect(await bonus('AMB', 'DK')).toBeCloseTo(deck * 4, 6);
		expect((await lockHistory(osric, MODEL))[0]).toMatchObject({ reason: 'two months are paid' });
		await freezeClosed(MODEL);
		await share('AMB', 0.5);
		expect(await bonus('AMB', 'DK')).toBeCloseTo(deck * 4, 6);
		await close(null, id('scenario', 'BUD28'), id('line', 'AMB'), id('department', 'DK'));
		expect(await bonus('AMB', 'DK')).toBeCloseTo(deck * 2, 6);
	});
});
