import { describe, expect, test } from 'vitest';
import { WriteGuard } from '../access';
import { CLEARED, Cube, mergeOverlay, NOTHING, Overlay, Reader } from '../cube';
import { EMPTY } from '../number';
import { buildModel } from '../testing';
import { enter, parseCoded } from '.';

/** Emptying what was typed and what was loaded: worked by hand. */
const fact = (frequency: 'per year' | 'timeless') =>
	({ valueType: 'choice', timeBehaviour: 'none', consolidation: 'none', frequency }) as const;
const model = buildModel({
	accounts: [
		{ code: 'Grade', account: { valueType: 'choice', timeBehaviour: 'none', consolidation: 'none' } },
		{ code: 'Bonus month', account: fact('timeless') },
		{ code: 'Review', account: fact('per year') },
		{ code: 'Sales', account: {} }
	],
	scenarios: [{ code: 'Plan', entry: ['2026-04', '2028-03'] }],
	general: { Post: [{ code: 'All' }, { code: 'Mate', parent: 'All' }, { code: 'Purser', parent: 'All' }] }
});
const ENTRY = 1;
const LOAD = 2;
const june = { from: 2, to: 2 };
const at = (account: string, post = 'Mate') =>
	Int32Array.from([account, 'Plan', post], (code, axis) => model.dimensions[axis]!.ordinalOfCode(code)!);
/** Where an account keeps its value for June 2026. */
const placeOf = (account: string): [number, number] => (account === 'Bonus month' ? [0, 0] : account === 'Review' ? [2027, 0] : [2027, 2]);

function empty(cube: Cube, account: string, empties: boolean, post = 'Mate', overlay = new Overlay(model)) {
	const guard = new WriteGuard(model, { mayEnter: true, grants: [{ name: 'All', level: 'write', slice: {} }] });
	const outcome = enter(
		{ reader: new Reader(cube, [overlay]), guard },
		{ members: at(account, post), range: june, shown: EMPTY, currency: 'EUR', input: { kind: 'clear', empties } }
	);
	if ('fault' in outcome) return outcome.fault.message;
	for (const { address, year, position, after } of outcome.changes) overlay.set(address, year, position, after);
	return outcome.changes.map(({ after }) => after);
}

describe.each(['Grade', 'Bonus month', 'Review'])('%s', (account) => {
	test('an entry is taken away, and what it set aside shows again', () => {
		const cube = new Cube(model);
		cube.writeCell(LOAD, at(account), ...placeOf(account), 7);
		cube.writeCell(ENTRY, at(account), ...placeOf(account), 8);
		const overlay = new Overlay(model);
		expect(empty(cube, account, false, 'Mate', overlay)).toEqual([CLEARED]);
		expect(new Reader(cube, [overlay]).read(at(account), ...placeOf(account))).toBe(7);
	});
	test('emptied above a load it shows nothing, saved as an entry that says so; taken away, the load shows', () => {
		const cube = new Cube(model);
		cube.writeCell(LOAD, at(account), ...placeOf(account), 7);
		const overlay = new Overlay(model);
		expect(empty(cube, account, true, 'Mate', overlay)).toEqual([NOTHING]);
		expect(new Reader(cube, [overlay]).read(at(account), ...placeOf(account))).toBeNaN();
		const { entries } = mergeOverlay(new Reader(cube), overlay, new Overlay(model));
		for (const { address, year, position, entry } of entries) cube.writeCell(ENTRY, address, year, position, entry);
		expect(cube.read(at(account), ...placeOf(account))).toBeNaN();
		expect(empty(cube, account, false)).toEqual([CLEARED]);
		cube.writeCell(ENTRY, at(account), ...placeOf(account), EMPTY);
		expect(cube.read(at(account), ...placeOf(account))).toBe(7);
	});
	test('emptied where only an entry stands the entry goes; a load alone has none to take away', () => {
		const cube = new Cube(model);
		cube.writeCell(ENTRY, at(account), ...placeOf(account), 8);
		expect(empty(cube, account, true)).toEqual([CLEARED]);
		cube.writeCell(LOAD, at(account, 'Purser'), ...placeOf(account), 7);
		expect(empty(cube, account, false, 'Purser')).toMatch(/was loaded, not typed/);
	});
	test('at a total what lies beneath is emptied', () => {
		const cube = new Cube(model);
		cube.writeCell(LOAD, at(account), ...placeOf(account), 7);
		cube.writeCell(LOAD, at(account, 'Purser'), ...placeOf(account), 7);
		expect(empty(cube, account, true, 'All')).toEqual([NOTHING, NOTHING]);
	});
});

test('an emptied figure loses its entry; it is never “nothing”', () => {
	const cube = new Cube(model);
	cube.writeCell(ENTRY, at('Sales'), 2027, 2, 8);
	expect(empty(cube, 'Sales', false)).toEqual([CLEARED]);
	expect(parseCoded('', 'choice', { choices: [], place: () => 0 })).toEqual({ kind: 'clear' });
});
