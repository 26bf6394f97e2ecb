import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { LockTable, WriteGuard, type Lock } from '../access';
import { buildModel } from '../testing';
import { lockOfUnit, UNIT_MOVES, UnitTree, type CycleUnit, type UnitMove, type UnitState } from '.';

// group (1) ▸ skerry (2) ▸ deck (3), shop (4); north (5)
const tree = (states: Partial<Record<number, UnitState>> = {}): CycleUnit[] =>
	(
		[
			[1, null],
			[2, 1],
			[3, 2],
			[4, 2],
			[5, 1]
		] as const
	).map(([id, parent]) => ({ id, parent, state: states[id] ?? 'not started', reviewed: 0 }));
const stepsOf = (units: CycleUnit[], id: number, move: UnitMove, reviews = 1) => {
	const outcome = new UnitTree(units).move(id, move, reviews);
	return 'refused' in outcome ? outcome.refused : Object.fromEntries(outcome.steps.map((step) => [step.id, step.state]));
};

describe('by hand', () => {
	test('work that begins beneath has begun above', () =>
		expect(stepsOf(tree(), 3, 'begin')).toEqual({ 3: 'in progress', 2: 'in progress', 1: 'in progress' }));
	test('a parent completes after its children', () => {
		expect(stepsOf(tree({ 3: 'approved', 4: 'submitted' }), 2, 'submit')).toMatch(/one is not approved yet/);
		expect(stepsOf(tree({ 3: 'approved', 4: 'approved', 2: 'in progress', 1: 'in progress' }), 2, 'submit')).toEqual({ 2: 'submitted' });
	});
	test('a child that is opened again brings back what went on above it', () =>
		expect(stepsOf(tree({ 3: 'approved', 4: 'approved', 2: 'approved', 5: 'approved', 1: 'submitted' }), 3, 'reopen')).toEqual({
			3: 'returned',
			2: 'returned',
			1: 'returned'
		}));
	test('of two reviews the first leaves it submitted, and then it is not recalled any more', () => {
		const once = new UnitTree(tree({ 5: 'submitted' })).move(5, 'approve', 2);
		expect(once).toEqual({ steps: [{ id: 5, state: 'submitted', reviewed: 1 }] });
		const units = tree({ 5: 'submitted' }).map((unit) => (unit.id === 5 ? { ...unit, reviewed: 1 } : unit));
		expect(stepsOf(units, 5, 'recall', 2)).toMatch(/ask them to return it/);
		expect(stepsOf(units, 5, 'approve', 2)).toEqual({ 5: 'approved' });
		expect(stepsOf(units, 5, 'return', 2)).toEqual({ 5: 'returned' });
	});
	test('nothing is done twice, or out of its order', () => {
		expect(stepsOf(tree({ 5: 'submitted' }), 5, 'submit')).toBe('It is submitted already.');
		expect(stepsOf(tree({ 5: 'returned' }), 5, 'approve')).toMatch(/this is returned/);
		expect(stepsOf(tree({ 5: 'in progress' }), 5, 'reopen')).toMatch(/Only what is approved/);
		expect(stepsOf(tree(), 9, 'submit')).toMatch(/not in the round/);
	});
});

test('no sequence of moves approves a parent above an open child, or leaves a figure writable in a closed unit', () => {
	const model = buildModel({
		accounts: [{ code: 'pay', account: {} }],
		scenarios: [{ code: 'plan', entry: ['2026-04', '2027-03'] }],
		entities: [
			{ code: 'group' },
			{ code: 'skerry', parent: 'group' },
			{ code: 'deck', parent: 'skerry', currency: 'EUR' },
			{ code: 'shop', parent: 'skerry', currency: 'EUR' },
			{ code: 'north', parent: 'group', currency: 'EUR' }
		]
	});
	const entities = model.dimensions[2]!;
	const member = (id: number) => entities.member(id - 1).id;
	const writes = { mayEnter: true, grants: [{ name: 'All', level: 'write' as const, slice: {} }] };
	fc.assert(
		fc.property(
			fc.array(fc.tuple(fc.integer({ min: 1, max: 5 }), fc.constantFrom(...UNIT_MOVES)), { minLength: 1, maxLength: 60 }),
			fc.integer({ min: 1, max: 3 }),
			(moves, reviews) => {
				let units = tree();
				for (const [id, move] of moves) {
					const outcome = new UnitTree(units).move(id, move, reviews);
					if ('refused' in outcome) continue;
					units = units.map((unit) => ({ ...unit, ...outcome.steps.find((step) => step.id === unit.id) }));
					const now = new UnitTree(units);
					for (const { id: each, state, reviewed } of units) {
						if (state === 'submitted' || state === 'approved')
							expect(now.childrenOf(each).every((child) => child.state === 'approved')).toBe(true);
						expect(reviewed).toBeLessThan(reviews);
						if (state !== 'submitted') expect(reviewed).toBe(0);
					}
					const locks: Lock[] = units.map(({ id: each, state }) => ({
						id: each,
						layer: 'cycle',
						state: lockOfUnit(state),
						name: `unit ${each}`,
						slice: { [entities.id]: [member(each)] }
					}));
					const guard = new WriteGuard(model, writes, new LockTable(model, locks));
					for (const leaf of [3, 4, 5]) {
						const line = [units[leaf - 1]!, ...now.above(leaf)];
						const open = guard.leafVerdict([0, 0, leaf - 1], 0).kind === 'enter';
						// Open exactly where the unit is, whatever stands above: what is above went back with it.
						expect(open).toBe(lockOfUnit(line[0]!.state) === 'open');
						if (open) expect(line.every(({ state }) => lockOfUnit(state) === 'open')).toBe(true);
					}
				}
			}
		),
		{ numRuns: 300 }
	);
});
