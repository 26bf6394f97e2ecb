import { afterAll, beforeAll, describe, expect, test } from 'vitest';
import { branchHere, makeBranch } from '../../src/lib/server/branch';
import { discardDraft, enterFigures, openForm, seekFormGoal, tryFormValues } from '../../src/lib/server/form';
import type { SignedIn } from '../../src/lib/server/session';
import { faultOf } from './fault-of';
import { openHouse, type House } from './house';

let house: House;
let osric: SignedIn;
const MODEL = 1;
const FORM = 'route-contribution';
const YEAR = 'FY2028';
const ids = new Map<string, number>();

beforeAll(async () => {
	house = await openHouse('tryout');
	osric = await house.person('Osric', MODEL);
	const found = await house.database.pool.query<{ id: number; code: string; of: number; dimension: string }>(
		`SELECT m.id, m.code, d.id AS of, d.name AS dimension FROM member m JOIN dimension d ON d.id = m.dimension_id WHERE d.name = 'Line'`
	);
	for (const { id, code, of, dimension } of found.rows) {
		ids.set(`${dimension} ${code}`, id);
		ids.set(dimension, of);
	}
});
afterAll(() => house.close());

const choices = () => ({
	members: { [ids.get('Line')!]: ids.get('Line NOR')! },
	currency: 'EUR'
});
async function look(person = osric) {
	const { form } = await openForm(person, MODEL, FORM, choices());
	const cell = (row: string, column = YEAR) => ({
		row: form.rows.findIndex(({ label }) => label === row),
		column: form.columns.findIndex(({ label }) => label === column)
	});
	const value = (row: string, column = YEAR) => {
		const at = cell(row, column);
		return form.values[at.row * form.columns.length + at.column]!;
	};
	return { form, cell, value, frame: form.frame };
}

describe('a goal', () => {
	test('of a contribution is reached by the fuel of the year, spread as it would be typed; nothing is typed meanwhile', async () => {
		const { cell, value, frame } = await look();
		const goal = Math.round(value('Operating contribution') * 1.05);
		const found = await seekFormGoal(osric, MODEL, FORM, choices(), {
			driver: cell('Fuel'),
			result: cell('Operating contribution'),
			goal,
			frame
		});
		expect(found).toMatchObject({ kind: 'found', now: { value: value('Fuel'), result: value('Operating contribution') } });
		// What is saved in cost is what is gained: by hand, fuel − (goal − contribution).
		expect(found.value).toBeCloseTo(value('Fuel') - (goal - value('Operating contribution')), 0);
		expect((await look()).form.draftSize).toBe(0);
		const entries = [{ ...cell('Fuel'), text: String(found.value) }];
		await enterFigures(osric, MODEL, FORM, choices(), { entries, structure: (await look()).form.structure });
		const typed = await look();
		expect(typed.value('Operating contribution')).toBeCloseTo(goal, 0);
		// Over what is typed: it stands there already.
		const again = await seekFormGoal(osric, MODEL, FORM, choices(), {
			...{ driver: cell('Fuel'), result: cell('Operating contribution'), frame },
			goal: typed.value('Operating contribution')
		});
		expect(again).toMatchObject({ kind: 'found', tries: 2 });
		await discardDraft(osric, MODEL, FORM);
	});

	test('of a ratio is reached; one that nothing moves, or that is never reached, is told', async () => {
		const { cell, value, frame } = await look();
		const ask = (driver: string, result: string, goal: number) =>
			seekFormGoal(osric, MODEL, FORM, choices(), { driver: cell(driver), result: cell(result), goal, frame });
		const margin = await ask('Foot passengers', 'Contribution margin', value('Contribution margin') + 0.05);
		expect(margin.kind).toBe('found');
		expect(margin.result).toBeCloseTo(value('Contribution margin') + 0.05, 5);
		expect(margin.value).toBeGreaterThan(value('Foot passengers'));
		expect(await ask('Coaches', 'Fuel', 1)).toMatchObject({ kind: 'no effect', result: value('Fuel') });
		// Revenue never takes the margin over the whole of it.
		expect((await ask('Foot passengers', 'Contribution margin', 2)).kind).toBe('nearest');
	});

	test('is refused with a sentence: a computed driver, the same cell twice, other lines, no right to type', async () => {
		const { cell, frame } = await look();
		const ask = (more: object, person = osric) =>
			seekFormGoal(person, MODEL, FORM, choices(), { driver: cell('Fuel'), result: cell('Revenue'), goal: 1, frame, ...more });
		expect((await faultOf(ask({ driver: cell('Contribution margin') }))).status).toBe(422);
		expect((await faultOf(ask({ result: cell('Fuel') }))).message).toContain('the same cell');
		expect((await faultOf(ask({ frame: 'other' }))).message).toContain('have changed meanwhile');
		expect((await faultOf(ask({ result: { row: 999, column: 0 } }))).status).toBe(422);
		expect((await faultOf(ask({}, await house.person('Runa', MODEL)))).status).toBe(403);
	});
});

describe('a range of values', () => {
	test('comes to what typing each would come to, in the plan and in a branch', async () => {
		const { id } = await makeBranch(osric, MODEL, { name: 'Ranges', purpose: '', due: null, everybody: 'nothing', people: [] });
		const inBranch = { ...osric, branch: await branchHere(osric, MODEL, id) };
		for (const person of [osric, inBranch]) {
			const { cell, value, frame, form } = await look(person);
			const values = [0.5, 1, 2].map((part) => Math.round(value('Fuel') * part));
			const results = [cell('Fuel'), cell('Operating contribution'), cell('Coaches')];
			const { now, lines } = await tryFormValues(person, MODEL, FORM, choices(), { driver: cell('Fuel'), values, results, frame });
			expect(now).toEqual({ value: value('Fuel'), results: [value('Fuel'), value('Operating contribution'), value('Coaches')] });
			for (const [at, line] of lines.entries()) {
				expect(line.results[0]).toBeCloseTo(values[at]!, 0);
				expect(line.results[1]! + values[at]!).toBeCloseTo(value('Operating contribution') + value('Fuel'), 0);
				expect(line.results[2]).toBe(value('Coaches'));
			}
			const entries = [{ ...cell('Fuel'), text: String(values[2]) }];
			await enterFigures(person, MODEL, FORM, choices(), { entries, structure: form.structure });
			expect((await look(person)).value('Operating contribution')).toBeCloseTo(lines[2]!.results[1]!, 6);
			await discardDraft(person, MODEL, FORM);
		}
	});

	test('says where a value cannot be entered', async () => {
		const { cell, frame } = await look();
		const { lines } = await tryFormValues(osric, MODEL, FORM, choices(), {
			...{ driver: cell('Bonus', 'May 2027'), results: [cell('Bonus')], values: [5], frame }
		});
		expect(lines[0]!.fault === '' ? lines[0]!.results[0] : lines[0]!.fault).not.toBeNull();
	});
});
