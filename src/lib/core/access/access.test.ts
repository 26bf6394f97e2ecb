import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { LockTable, WriteGuard, type AccessRules, type Lock } from '.';

const model = buildModel({
	accounts: [{ code: 'all' }, { code: 'pay', parent: 'all', account: {} }, { code: 'dues', parent: 'all', account: {} }],
	scenarios: [{ code: 'plan', entry: ['2026-04', '2027-03'] }],
	entities: [{ code: 'group' }, { code: 'north', parent: 'group', currency: 'EUR' }, { code: 'south', parent: 'group', currency: 'EUR' }],
	general: { team: [{ code: 'teams' }, { code: 'deck', parent: 'teams' }, { code: 'shop', parent: 'teams' }] }
});
const id = (axis: number, ordinal: number) => model.dimensions[axis]!.member(ordinal).id;
const NORTH = id(2, 1);
const SOUTH = id(2, 2);
const DECK = id(3, 1);
const SHOP = id(3, 2);
const april = { from: 0, to: 0 };
type Given = AccessRules & { locks?: Lock[] };
const rules = (more: Partial<Given>): Given => ({ mayEnter: true, grants: [], ...more });
const guardOf = (given: Given) => new WriteGuard(model, given, new LockTable(model, given.locks ?? []));
const write = (name: string, slice: Record<number, number[]>) => ({ name, level: 'write' as const, slice });
/** Account pay in the plan, by entity and team. */
const cell = (entity: number, team: number, account = 1) => [account, 0, entity, team];
const kind = (given: Given, members: number[], range = april) => guardOf(given).verdict(members, range).kind;

describe('grants', () => {
	test('are slices over several dimensions together: their union does not leak', () => {
		const given = rules({ grants: [write('North deck', { 4: [NORTH], 5: [DECK] }), write('South shop', { 4: [SOUTH], 5: [SHOP] })] });
		expect(kind(given, cell(1, 1))).toBe('enter');
		expect(kind(given, cell(2, 2))).toBe('enter');
		expect(kind(given, cell(1, 2))).toBe('refused');
		expect(kind(given, cell(2, 1))).toBe('refused');
		expect(kind(given, cell(0, 0))).toBe('spread');
	});
	test('on a parent cover what is under it', () =>
		expect(kind(rules({ grants: [write('Group', { 4: [id(2, 0)] })] }), cell(2, 1))).toBe('enter'));
	test('none wins over write', () => {
		const given = rules({ grants: [write('All', {}), { name: 'Not the shop', level: 'none', slice: { 5: [SHOP] } }] });
		expect(kind(given, cell(1, 1))).toBe('enter');
		expect(guardOf(given).verdict(cell(1, 2), april)).toEqual({
			kind: 'refused',
			reason: '“Not the shop” keeps you out here.'
		});
	});
	test('without one, or without the permission, the reason is said', () => {
		expect(new WriteGuard(model, rules({})).verdict(cell(1, 1), april)).toMatchObject({
			reason: 'You have no grant to write in this model.'
		});
		expect(new WriteGuard(model, rules({ mayEnter: false, grants: [write('All', {})] })).verdict(cell(1, 1), april)).toMatchObject({
			kind: 'refused',
			reason: expect.stringMatching(/^Your role reads/)
		});
	});
});

describe('locks', () => {
	const all = [write('All', {})];
	let locks = 0;
	const lock = (layer: 'board' | 'cycle', state: 'open' | 'held' | 'closed', slice: Record<number, number[]>): Lock => ({
		id: ++locks,
		layer,
		state,
		name: `${layer} ${state}`,
		slice
	});
	test('close a slice, and the narrower one in a layer wins', () => {
		const given = rules({
			grants: all,
			locks: [lock('board', 'closed', { 4: [NORTH] }), lock('board', 'open', { 4: [NORTH], 5: [DECK] })]
		});
		expect(kind(given, cell(1, 1))).toBe('enter');
		expect(kind(given, cell(1, 2))).toBe('closed');
		expect(kind(given, cell(2, 2))).toBe('enter');
	});
	test('a narrower lock opens what its own layer closes, not what another one does', () => {
		const wide = (layer: 'board' | 'cycle') => lock(layer, 'closed', { 4: [id(2, 0)] });
		const narrow = lock('board', 'open', { 4: [NORTH] });
		expect(kind(rules({ grants: all, locks: [wide('board'), narrow] }), cell(1, 1))).toBe('enter');
		expect(kind(rules({ grants: all, locks: [wide('cycle'), narrow] }), cell(1, 1))).toBe('closed');
	});
	test('of a slice closed, a part of it open and a month held, the month stands in the part: held', () => {
		const month = model.periods.dimension.member(model.periods.leaf(0).ordinal).id;
		const locks = [
			lock('board', 'closed', { 3: [id(1, 0)], 4: [id(2, 0)] }),
			lock('board', 'open', { 3: [id(1, 0)], 4: [NORTH] }),
			lock('board', 'held', { 3: [id(1, 0)], [model.periods.dimension.id]: [month] })
		];
		const guard = guardOf(rules({ grants: all, locks }));
		expect(guard.leafVerdict(cell(1, 1), 0)).toEqual({ kind: 'held', reason: 'board held is held.' });
		expect(guard.leafVerdict(cell(1, 1), 1).kind).toBe('enter');
	});
	test('every layer must allow', () => {
		const given = rules({ grants: all, locks: [lock('board', 'open', {}), lock('cycle', 'held', { 4: [NORTH] })] });
		expect(guardOf(given).verdict(cell(1, 1), april)).toEqual({ kind: 'held', reason: 'cycle held is held.' });
	});
	test('of overlapping ones the stricter holds', () => {
		const given = rules({ grants: all, locks: [lock('board', 'open', { 4: [NORTH] }), lock('board', 'closed', { 5: [DECK] })] });
		expect(kind(given, cell(1, 1))).toBe('closed');
	});
	test('leave a parent open to spreading while one leaf beneath is', () => {
		const given = rules({ grants: all, locks: [lock('board', 'closed', { 1: [id(0, 2)] })] });
		expect(kind(given, cell(1, 1, 0))).toBe('spread');
		expect(kind(given, cell(1, 1, 2))).toBe('closed');
	});
});

describe('the months of a scenario', () => {
	/** Plan speaks through two fiscal years and takes entries from October 2026 to June 2027. */
	const cut = buildModel({
		accounts: [
			{ code: 'pay', account: {} },
			{ code: 'goal', account: { frequency: 'per year', timeBehaviour: 'none', consolidation: 'none' } }
		],
		scenarios: [
			{ code: 'plan', span: ['2026-04', '2028-03'], entry: ['2026-10', '2027-06'] },
			{ code: 'short', span: ['2026-04', '2026-12'], entry: ['2026-10', '2027-06'] },
			{ code: 'month', span: ['2026-04', '2028-03'], entry: ['2026-10', '2026-10'] }
		]
	});
	const open = rules({ grants: [write('All', {})] });
	const guard = new WriteGuard(cut, open);
	test('of a run of months one that takes entries is enough, be it the first or the last', () => {
		const at = (from: number, to: number) => guard.verdict([0, 0], { from, to }).kind;
		expect([at(0, 5), at(0, 6), at(14, 20), at(15, 20)]).toEqual(['closed', 'spread', 'spread', 'closed']);
		expect([at(5, 5), at(6, 6), at(14, 14), at(15, 15)]).toEqual(['closed', 'enter', 'enter', 'closed']);
	});
	test('a window of a single month opens every run that holds it, and no other', () => {
		const at = (from: number, to: number) => guard.verdict([0, 2], { from, to }).kind;
		expect([at(0, 11), at(0, 6), at(6, 11), at(6, 6), at(0, 5), at(7, 11)]).toEqual([
			'spread',
			'spread',
			'spread',
			'enter',
			'closed',
			'closed'
		]);
	});
	test('an entry window wider than the span ends with the span', () => {
		expect(guard.verdict([0, 1], { from: 8, to: 8 }).kind).toBe('enter');
		expect(guard.verdict([0, 1], { from: 9, to: 9 }).kind).toBe('closed');
		expect(guard.verdict([0, 1], { from: 9, to: 20 }).kind).toBe('closed');
	});
	test('a fact of the year is taken as soon as some month of its year is', () => {
		expect([guard.leafVerdict([1, 0], 0).kind, guard.leafVerdict([1, 0], 23).kind]).toEqual(['enter', 'enter']);
		expect([guard.leafVerdict([1, 1], 0).kind, guard.leafVerdict([1, 1], 23).kind]).toEqual(['enter', 'closed']);
	});
	test('a lock on the month that takes entries closes the whole run', () => {
		const month = cut.periods.dimension.member(cut.periods.leaf(6).ordinal).id;
		const october: Lock = { id: 1, layer: 'board', state: 'closed', name: 'October', slice: { [cut.periods.dimension.id]: [month] } };
		const locked = new WriteGuard(cut, open, new LockTable(cut, [october]));
		expect(locked.verdict([0, 0], { from: 0, to: 6 }).kind).not.toBe('spread');
		expect(locked.verdict([0, 0], { from: 0, to: 7 }).kind).toBe('spread');
	});
});
