import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { buildModel } from '../testing';
import { lockInWords, LockTable, WriteGuard, type Lock, type LockLayer, type LockState } from '.';

const model = buildModel({
	accounts: [{ code: 'pay', account: {} }],
	scenarios: [{ code: 'budget', entry: ['2026-04', '2027-03'] }, { code: 'outlook' }],
	entities: [
		{ code: 'group' },
		{ code: 'skerry', parent: 'group', currency: 'EUR' },
		{ code: 'isles', parent: 'skerry', currency: 'EUR' },
		{ code: 'north', parent: 'isles', currency: 'EUR' },
		{ code: 'south', parent: 'isles', currency: 'EUR' },
		{ code: 'amber', parent: 'group', currency: 'EUR' }
	],
	general: { team: [{ code: 'teams' }, { code: 'deck', parent: 'teams' }, { code: 'shop', parent: 'teams' }] }
});
const SCENARIO = 1;
const ENTITY = 2;
const TEAM = 3;
const PERIOD = 4;
const axes = [...model.dimensions, model.periods.dimension];
const ordinal = (axis: number, code: string) => axes[axis]!.members.findIndex((member) => member.code === code);
const member = (axis: number, code: string) => axes[axis]!.member(ordinal(axis, code)).id;
const periodCodes = axes[PERIOD]!.members.map(({ code }) => code);
/** A leaf month and what it stands under, by place in the year. */
const month = (place: number) => axes[PERIOD]!.member(model.periods.leaf(place).ordinal).code;

type Named = Partial<Record<'scenario' | 'entity' | 'team' | 'period', string | string[]>>;
const AXIS = { scenario: SCENARIO, entity: ENTITY, team: TEAM, period: PERIOD };
const sliceOf = (named: Named) =>
	Object.fromEntries(
		Object.entries(named).map(([axis, codes]) => {
			const at = AXIS[axis as keyof typeof AXIS];
			return [axes[at]!.id, [codes].flat().map((code) => member(at, code))];
		})
	);
let made = 0;
const lock = (state: LockState, named: Named, layer: LockLayer = 'board'): Lock => ({
	id: ++made,
	layer,
	state,
	name: `${layer} ${made}`,
	slice: sliceOf(named)
});
const places = ({ scenario, entity, team, period }: Record<'scenario' | 'entity' | 'team' | 'period', string>) => [
	0,
	ordinal(SCENARIO, scenario),
	ordinal(ENTITY, entity),
	ordinal(TEAM, team),
	ordinal(PERIOD, period)
];
const at = (locks: Lock[], entity: string, period = month(0), team = 'deck', scenario = 'budget') => {
	const { closed, held } = new LockTable(model, locks).at(places({ scenario, entity, team, period }));
	return closed ? 'closed' : held.length > 0 ? 'held' : 'open';
};

describe('by hand', () => {
	// Budget × Skerry closed, Budget × north open, Budget × April held: north in April is held (worked figures).
	test('an open part of what is closed, across which a month is held', () => {
		const locks = [
			lock('closed', { scenario: 'budget', entity: 'skerry' }),
			lock('open', { scenario: 'budget', entity: 'north' }),
			lock('held', { scenario: 'budget', period: month(0) })
		];
		expect([
			at(locks, 'north'),
			at(locks, 'north', month(1)),
			at(locks, 'south'),
			at(locks, 'amber'),
			at(locks, 'amber', month(1))
		]).toEqual(['held', 'open', 'closed', 'held', 'open']);
		expect(at(locks, 'south', month(1), 'deck', 'outlook')).toBe('open');
	});
	test('three levels: the nearest decides, as often as it changes', () => {
		const locks = [lock('closed', { entity: 'group' }), lock('open', { entity: 'skerry' }), lock('held', { entity: 'north' })];
		expect([at(locks, 'amber'), at(locks, 'south'), at(locks, 'north')]).toEqual(['closed', 'open', 'held']);
	});
	test('neither within the other: the stricter', () => {
		const locks = [lock('open', { entity: 'north' }), lock('closed', { team: 'deck' })];
		expect([at(locks, 'north'), at(locks, 'north', month(0), 'shop')]).toEqual(['closed', 'open']);
	});
	test('the same slice twice: the stricter', () => {
		expect(at([lock('open', { entity: 'north' }), lock('held', { entity: 'north' })], 'north')).toBe('held');
	});
	test('a lock for everything, one that names nothing that is there, and none', () => {
		expect(at([lock('closed', {})], 'amber')).toBe('closed');
		expect(at([{ ...lock('closed', {}), slice: { [axes[ENTITY]!.id]: [999_999] } }], 'amber')).toBe('open');
		expect(at([], 'amber')).toBe('open');
	});
	test('a lock that names several members is one: what is within it drops it', () => {
		const locks = [lock('closed', { entity: ['north', 'amber'] }), lock('open', { entity: 'amber' })];
		expect([at(locks, 'north'), at(locks, 'amber'), at(locks, 'south')]).toEqual(['closed', 'open', 'open']);
	});
	test('every layer must allow, and one opens nothing of another', () => {
		const locks = [lock('closed', { entity: 'skerry' }, 'period close'), lock('open', { entity: 'north' }, 'board')];
		expect([at(locks, 'north'), at(locks, 'amber')]).toEqual(['closed', 'open']);
	});
});

describe('who may still write', () => {
	const grants = [{ name: 'All', level: 'write' as const, slice: {} }];
	const april = { from: 0, to: 0 };
	test('of several that are held each must name the writer, and only where it names them', () => {
		const one = lock('held', { entity: 'skerry' });
		const other = lock('held', { period: month(0) });
		const kind = (heldFor: { lock: number; slice: Record<number, number[]> }[], entity: string) =>
			new WriteGuard(model, { mayEnter: true, grants, heldFor }, new LockTable(model, [one, other])).verdict(
				[0, 0, ordinal(ENTITY, entity), ordinal(TEAM, 'deck')],
				april
			).kind;
		const north = sliceOf({ entity: 'north' });
		expect(kind([{ lock: one.id, slice: {} }], 'north')).toBe('held');
		const both = [
			{ lock: one.id, slice: north },
			{ lock: other.id, slice: {} }
		];
		expect([kind(both, 'north'), kind(both, 'south'), kind(both, 'amber')]).toEqual(['enter', 'held', 'enter']);
		expect([kind(both, 'isles'), kind([{ lock: other.id, slice: {} }], 'isles'), kind([], 'group')]).toEqual(['spread', 'held', 'held']);
	});
	test('nobody where it is closed', () => {
		const closed = lock('closed', { entity: 'north' });
		const guard = new WriteGuard(
			model,
			{ mayEnter: true, grants, heldFor: [{ lock: closed.id, slice: {} }] },
			new LockTable(model, [closed])
		);
		expect(guard.verdict([0, 0, ordinal(ENTITY, 'north'), ordinal(TEAM, 'deck')], april).kind).toBe('closed');
	});
});

test('a lock says by whom, since when, why, until when, and whom to ask', () => {
	const said = lock('held', { entity: 'north' });
	expect(
		lockInWords({
			...said,
			name: 'North',
			by: 'Osric Hale',
			since: '2026-11-20',
			reason: 'landing fees still in talks',
			turns: { on: '2026-12-14', to: 'closed' },
			ask: 'Osric Hale'
		})
	).toBe(
		'North is held by Osric Hale since 20 November 2026: “landing fees still in talks”. On 14 December 2026 it closes by itself. Ask Osric Hale.'
	);
	expect(lockInWords({ ...said, name: 'North' })).toBe('North is held.');
});

describe('a slice of the board', () => {
	const locks = [
		lock('closed', { scenario: 'budget', entity: 'skerry' }),
		lock('open', { scenario: 'budget', entity: 'north' }),
		lock('held', { scenario: 'budget', period: month(0) })
	];
	const table = new LockTable(model, locks);
	const slice = (entity: string, period?: string) =>
		table.ofSlice('board', [undefined, 0, ordinal(ENTITY, entity), undefined, period === undefined ? undefined : ordinal(PERIOD, period)]);
	test('says what is set there, what it inherits, and what within it or across it differs', () => {
		const top = periodCodes[0]!;
		expect(slice('skerry')).toMatchObject({ state: 'closed', isOwn: true, exceptions: [locks[1], locks[2]] });
		expect(slice('isles')).toMatchObject({ state: 'closed', isOwn: false, lock: locks[0], exceptions: [locks[1], locks[2]] });
		expect(slice('north', month(0))).toMatchObject({ state: 'held', isOwn: false, exceptions: [] });
		expect(slice('north', month(1))).toMatchObject({ state: 'open', isOwn: false, exceptions: [] });
		expect(slice('amber', top)).toMatchObject({ state: 'open', exceptions: [locks[2]] });
		expect(table.ofSlice('cycle', [undefined, 0, 0, undefined, undefined])).toEqual({
			state: 'open',
			lock: undefined,
			isOwn: false,
			exceptions: []
		});
	});
});

describe('of any locks', () => {
	const codesOf = (axis: number) => axes[axis]!.members.map(({ code }) => code);
	const some = (axis: number) => fc.option(fc.subarray(codesOf(axis), { minLength: 1, maxLength: 3 }), { nil: undefined });
	const anyLock = fc
		.record({
			state: fc.constantFrom<LockState>('open', 'held', 'closed'),
			layer: fc.constantFrom<LockLayer>('board', 'cycle', 'period close'),
			entity: some(ENTITY),
			team: some(TEAM),
			period: some(PERIOD)
		})
		.map(({ state, layer, ...named }) =>
			lock(state, Object.fromEntries(Object.entries(named).filter(([, codes]) => codes !== undefined)) as Named, layer)
		);
	const leaves = (axis: number) => axes[axis]!.members.map((_, place) => place).filter((place) => axes[axis]!.isLeaf(place));

	/** The rule as it is written: what a lock covers are cells, and one lies within another when its cells do. */
	const cells = leaves(ENTITY).flatMap((entity) =>
		leaves(TEAM).flatMap((team) => leaves(PERIOD).map((period) => [0, 0, entity, team, period]))
	);
	const anyPlace = axes.map(({ members }) => members.map((_, place) => place));
	const covers = ({ slice }: Lock, axis: number, place: number) =>
		slice[axes[axis]!.id]?.some((named) => axes[axis]!.tree.isUnder(place, axes[axis]!.ordinal(named)!)) ?? true;
	const coversCell = (each: Lock, cell: readonly number[]) => cell.every((place, axis) => covers(each, axis, place));
	const within = (inner: Lock, outer: Lock) => {
		const by = (each: Lock) => anyPlace.map((all, axis) => all.filter((place) => covers(each, axis, place)));
		const [small, large] = [by(inner), by(outer)];
		// What names the top of a dimension says more than what does not speak of it.
		const isWider = (all: number[], axis: number) =>
			all.length < large[axis]!.length || (inner.slice[axes[axis]!.id] !== undefined && outer.slice[axes[axis]!.id] === undefined);
		const lies = (all: number[], axis: number) =>
			all.every((place) => large[axis]!.includes(place)) &&
			!(inner.slice[axes[axis]!.id] === undefined && outer.slice[axes[axis]!.id] !== undefined);
		return small.every(lies) && small.some(isWider);
	};

	test('a cell is what the words of the rule say', () => {
		fc.assert(
			fc.property(
				fc.array(anyLock, { maxLength: 7 }),
				fc.array(fc.constantFrom(...cells), { minLength: 1, maxLength: 5 }),
				(locks, asked) => {
					const table = new LockTable(model, locks);
					for (const cell of asked) {
						const covering = locks.filter((each) => coversCell(each, cell));
						const left = covering.filter(
							(each) => !covering.some((other) => other.layer === each.layer && other !== each && within(other, each))
						);
						const { closed, held } = table.at(cell);
						expect(closed !== undefined).toBe(left.some(({ state }) => state === 'closed'));
						if (!closed) expect(new Set(held)).toEqual(new Set(left.filter(({ state }) => state === 'held')));
					}
				}
			),
			{ numRuns: 400 }
		);
	});

	test('a slice without exceptions is the same in all its cells', () => {
		fc.assert(
			fc.property(
				fc.array(anyLock, { maxLength: 6 }),
				fc.constantFrom(...anyPlace[ENTITY]!),
				fc.constantFrom(undefined, ...anyPlace[PERIOD]!),
				(locks, entity, period) => {
					const table = new LockTable(model, locks);
					const told = table.ofSlice('board', [undefined, undefined, entity, undefined, period]);
					if (told.exceptions.length > 0) return;
					const board = new LockTable(
						model,
						locks.filter(({ layer }) => layer === 'board')
					);
					for (const cell of cells) {
						if (!axes[ENTITY]!.tree.isUnder(cell[ENTITY]!, entity)) continue;
						if (period !== undefined && !axes[PERIOD]!.tree.isUnder(cell[PERIOD]!, period)) continue;
						const { closed, held } = board.at(cell);
						expect(closed ? 'closed' : held.length > 0 ? 'held' : 'open').toBe(told.state);
					}
				}
			),
			{ numRuns: 300 }
		);
	});

	test('a row of a board is its slices, one by one', () => {
		fc.assert(
			fc.property(fc.array(anyLock, { maxLength: 8 }), fc.constantFrom(...anyPlace[ENTITY]!), (locks, entity) => {
				const table = new LockTable(model, locks);
				const none = table.which(() => false);
				const row = table.along('board', [undefined, undefined, entity, undefined, undefined], PERIOD, anyPlace[PERIOD]!, none);
				row.forEach((cell, at) => {
					const { state, isOwn, exceptions } = table.ofSlice('board', [undefined, undefined, entity, undefined, anyPlace[PERIOD]![at]]);
					expect(cell).toEqual({ state, isOwn, exceptions: exceptions.length });
				});
			}),
			{ numRuns: 200 }
		);
	});

	test('a figure of any level may be typed into where some leaf beneath it may, whatever is held for whom', () => {
		const grants = [{ name: 'All', level: 'write' as const, slice: {} }];
		fc.assert(
			fc.property(
				fc.array(anyLock, { maxLength: 7 }),
				fc.array(fc.nat(6), { maxLength: 3 }),
				fc.constantFrom(...anyPlace[ENTITY]!),
				fc.constantFrom(...anyPlace[TEAM]!),
				fc.constantFrom(...anyPlace[PERIOD]!.slice(0, 17)),
				(locks, held, entity, team, period) => {
					const heldFor = held.flatMap((at) => (locks[at] ? [{ lock: locks[at].id, slice: {} }] : []));
					const guard = new WriteGuard(model, { mayEnter: true, grants, heldFor }, new LockTable(model, locks));
					const range = model.periods.range(period);
					let some = false;
					for (const line of axes[ENTITY]!.leavesOf(entity))
						for (const crew of axes[TEAM]!.leavesOf(team))
							for (let index = range.from; index <= range.to; index++)
								some ||= guard.leafVerdict([0, 0, line, crew], index).kind === 'enter';
					expect(['enter', 'spread'].includes(guard.verdict([0, 0, entity, team], range).kind)).toBe(some);
				}
			),
			{ numRuns: 400 }
		);
	});
});
