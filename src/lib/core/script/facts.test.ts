import { describe, expect, test } from 'vitest';
import { Cube, WorkCube } from '../cube';
import { buildModel } from '../testing';
import { checkScript, runAssignments, ScriptNames } from '.';

const model = buildModel({
	calendar: { years: 3 },
	accounts: [
		{ code: 'Target', account: { frequency: 'per year' } },
		{ code: 'Berths', account: { valueType: 'quantity', frequency: 'timeless' } },
		{ code: 'Sales', account: {} }
	],
	scenarios: [{ code: 'Plan', span: ['2026-04', '2029-03'] }],
	general: { Route: [{ code: 'North' }, { code: 'South' }] }
});
const ACCOUNTS = { Target: 0, Berths: 1, Sales: 2 };
const at = (account: keyof typeof ACCOUNTS) => Int32Array.of(ACCOUNTS[account], 0, 0);

/** Runs a script; tells what stands where afterwards, and which leaf periods were asked about. */
function run(text: string, cells: readonly [account: keyof typeof ACCOUNTS, year: number, position: number, value: number][]) {
	const cube = new Cube(model);
	for (const [account, year, position, value] of cells) cube.writeCell(2, at(account), year, position, value);
	const { assignments, faults } = checkScript(model, text, { names: new ScriptNames(model), parameters: new Map() });
	expect(faults).toEqual([]);
	const asked: number[] = [];
	const whyNot = (_: Int32Array, leaf: number) => {
		asked.push(leaf);
		return undefined;
	};
	const work = new WorkCube(cube);
	const { cells: written } = runAssignments(model, work, assignments, 5, { whyNot, skipped: () => {}, breathe: () => {} });
	const year = (account: keyof typeof ACCOUNTS, of: number) =>
		Array.from({ length: 12 }, (_, position) => cube.read(at(account), of, position));
	return { written, asked, year, work };
}
const GROWS = 'within scenario: Plan, Route: North\n  Target = Target{Year - 1} * 1.1 everywhere\nend';
const only = (value: number) => [value, ...Array<number>(11).fill(Number.NaN)];

describe('facts of the year', () => {
	test('grow from year to year, one value each, however the statement looks back at its own results', () => {
		const { written, year } = run(GROWS, [['Target', 2027, 0, 100]]);
		expect(written).toBe(2);
		expect(year('Target', 2028)[0]).toBeCloseTo(110);
		expect(year('Target', 2029)[0]).toBeCloseTo(121);
		for (const of of [2028, 2029]) expect(year('Target', of).slice(1)).toEqual(Array(11).fill(Number.NaN));
	});

	test('and a cube that was written to is as it was when put back', () => {
		const { work, year } = run(GROWS, [['Target', 2027, 0, 100]]);
		work.restore();
		expect(year('Target', 2028)).toEqual(Array(12).fill(Number.NaN));
		expect(year('Target', 2027)).toEqual(only(100));
	});
});

test('facts of all time are judged by the last month of their scenario', () => {
	const { asked, year } = run('within Period: "Apr 2026"\n  Berths = Sales / 10\nend'.replace('"Apr 2026"', '"2026-04"'), [
		['Sales', 2027, 0, 50]
	]);
	expect(asked).toEqual([35]);
	expect(year('Berths', 0)[0]).toBe(5);
});
