/** Locking and unlocking on the board. */
import type pg from 'pg';
import { z } from 'zod';
import { LOCK_STATES } from '../../core';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { driversOf, readChange } from './board';
import { changeLocks } from './freeze';
import { keyOf, putBack, readRecords, turnsSchema, writeLocks, writerSchema, type LockRecord } from './record';

/** Slices that can be set at once, and locks a board may have. */
const MOST_AT_ONCE = 5_000;
const MOST_LOCKS = 20_000;

export const setSchema = z.object({
	/** Slices by their members (ids): one of each dimension at most, of those that drive the board. */
	slices: z.array(z.array(z.int()).min(1).max(40)).min(1).max(MOST_AT_ONCE),
	/** Null: nothing is set there, and what is above holds. */
	state: z.enum(LOCK_STATES).nullable(),
	reason: z.string().trim().max(500).default(''),
	turns: turnsSchema.nullable().default(null),
	writers: z.array(writerSchema).max(50).default([]),
	/** What is set within the slices and differs: the ids of those that go; left out, they are asked about. */
	goes: z.array(z.int()).max(MOST_LOCKS).optional(),
	/** The last change of locks the page shows. */
	seen: z.int()
});
export type LocksToSet = z.infer<typeof setSchema>;

export type LocksSet =
	| { kind: 'set'; change: number | null; slices: number }
	/** Nothing is set yet: some slices within these are set otherwise. */
	| { kind: 'exceptions'; exceptions: { id: number; name: string; state: LockRecord['state'] }[] };

/**
 * Sets the state of slices on the board.
 * @throws Fault 409 where somebody else has changed one of them meanwhile, 422 where it cannot be
 */
export async function setLocks(person: SignedIn | undefined, modelId: number, asked: LocksToSet): Promise<LocksSet> {
	const writer = requirePermission(person, 'lock.write');
	const { state, reason, turns, writers, seen } = asked;
	if (state === 'held' && writers.length === 0)
		throw new Fault(422, 'nobody named', 'Held lets only those write who are named. Name at least one, or close it.');
	if (turns && turns.on <= new Date().toISOString().slice(0, 10))
		throw new Fault(422, 'past', 'The day on which it changes by itself must come after today.');
	return changeLocks(modelId, async (client) => {
		const board = await boardOf(client, modelId);
		const slices = board.outermost(asked.slices.map((members) => [...members].sort((one, other) => one - other)));
		await refuseChanged(client, modelId, seen, slices);
		const records = await readRecords(client, modelId, 'board');
		const keys = new Set(slices.map(keyOf));
		const within = records.filter(({ members }) => !keys.has(keyOf(members)) && slices.some((slice) => board.isWithin(members, slice)));
		const differing = within.filter((lock) => lock.state !== state);
		if (state !== null && asked.goes === undefined && differing.length > 0)
			return { kind: 'exceptions', exceptions: differing.map(({ id, name, state: set }) => ({ id, name, state: set })) };
		const going = new Set(asked.goes ?? []);
		const goes = records.filter(({ id, members }) => keys.has(keyOf(members)) || (going.has(id) && within.some((lock) => lock.id === id)));
		const comes =
			state === null
				? []
				: slices.map((members): LockRecord => ({
						members,
						state,
						name: board.nameOf(members),
						reason,
						turns,
						writers: state === 'held' ? writers : [],
						setBy: writer.id,
						setAt: new Date().toISOString()
					}));
		if (goes.length === 0 && comes.length === 0) return { kind: 'set', change: null, slices: 0 };
		if (records.length - goes.length + comes.length > MOST_LOCKS)
			throw new Fault(422, 'too many', `A board has at most ${MOST_LOCKS} states. Set what is above them instead.`);
		const named = slices.length === 1 ? board.nameOf(slices[0]!) : `${slices.length} slices`;
		const change = await writeLocks(client, modelId, {
			layer: 'board',
			person: writer.id,
			words: state === null ? `${named}: as above` : `${named}: ${state}`,
			reason,
			goes: goes.map(({ id }) => id),
			comes
		});
		return { kind: 'set', change, slices: slices.length };
	});
}

/** Sets slices as a step of a runbook says, in the caller's transaction; what differs within them goes. */
export async function setByStep(
	client: pg.PoolClient,
	modelId: number,
	writer: SignedIn,
	{ state, slices: asked, reason }: { state: 'open' | 'closed'; slices: readonly number[][]; reason: string }
): Promise<void> {
	const board = await boardOf(client, modelId);
	const slices = board.outermost(asked.map((members) => [...members].sort((one, other) => one - other)));
	const keys = new Set(slices.map(keyOf));
	const records = await readRecords(client, modelId, 'board');
	const goes = records.filter(({ members }) => keys.has(keyOf(members)) || slices.some((slice) => board.isWithin(members, slice)));
	// Set already, it is not set again: a run may come every night.
	if (goes.length === slices.length && goes.every((lock) => keys.has(keyOf(lock.members)) && lock.state === state)) return;
	await writeLocks(client, modelId, {
		layer: 'board',
		person: writer.id,
		words: `${slices.length === 1 ? board.nameOf(slices[0]!) : `${slices.length} slices`}: ${state}`,
		reason,
		goes: goes.map(({ id }) => id),
		comes: slices.map((members): LockRecord => ({
			members,
			state,
			name: board.nameOf(members),
			reason,
			turns: null,
			writers: [],
			setBy: writer.id,
			setAt: new Date().toISOString()
		}))
	});
}

/** Nobody sets a slice that another one has set since they looked. @throws Fault 409 */
async function refuseChanged(client: pg.PoolClient, modelId: number, seen: number, slices: readonly number[][]): Promise<void> {
	const later = await client.query<{ members: number[] }>(
		`SELECT DISTINCT s.l -> 'members' AS members FROM lock_change c, jsonb_array_elements(c.before || c.after) AS s (l)
		WHERE c.model_id = $1 AND c.id > $2 AND c.layer = 'board'`,
		[modelId, seen]
	);
	const keys = new Set(slices.map(keyOf));
	if (later.rows.some(({ members }) => keys.has(keyOf(members))))
		throw new Fault(
			409,
			'changed meanwhile',
			'Somebody else has set a part of this meanwhile. The board shows it as it is now; look again.'
		);
}

/** What is known of the members that drive a board. */
interface Board {
	nameOf: (members: readonly number[]) => string;
	/** Whether a slice lies within another one. */
	isWithin: (inner: readonly number[], outer: readonly number[]) => boolean;
	/** Of some slices those within no other one, each once. @throws Fault where one is none of this board */
	outermost: (slices: number[][]) => number[][];
}

export async function boardOf(client: pg.PoolClient, modelId: number): Promise<Board> {
	const drivers = await driversOf(client, modelId);
	if (drivers.length === 0)
		throw new Fault(422, 'switched off', 'The lock board of this model is switched off. Choose its dimensions first.');
	const found = await client.query<{ id: number; dimension: number; name: string; above: number | null; rank: number }>(
		`SELECT m.id, m.dimension_id AS dimension, m.name, n.parent_id AS above, o.position AS rank FROM member m
		JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1
		JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
		WHERE m.dimension_id = ANY ($2) OR m.id IN (SELECT x.member_id FROM access_lock_member x JOIN access_lock l ON l.id = x.lock_id AND l.model_id = $1)`,
		[modelId, drivers]
	);
	const members = new Map(found.rows.map((member) => [member.id, member]));
	const isUnder = (member: number | null, above: number): boolean => {
		for (let at: number | null = member; at !== null; at = members.get(at)?.above ?? null) if (at === above) return true;
		return false;
	};
	const isWithin: Board['isWithin'] = (inner, outer) =>
		outer.every((above) =>
			inner.some((member) => members.get(member)?.dimension === members.get(above)?.dimension && isUnder(member, above))
		);
	const rankOf = (member: number) => drivers.indexOf(members.get(member)?.dimension ?? -1);
	return {
		isWithin,
		nameOf: (of) =>
			[...of]
				.sort((one, other) => rankOf(one) - rankOf(other))
				.map((member) => members.get(member)?.name ?? '')
				.join(', '),
		outermost: (slices) => {
			const unique = [...new Map(slices.map((slice) => [keyOf(slice), slice])).values()];
			for (const slice of unique) {
				const axes = slice.map((member) => members.get(member)?.dimension ?? -1);
				if (axes.some((axis) => !drivers.includes(axis)) || new Set(axes).size !== axes.length)
					throw new Fault(422, 'not there', 'A slice names a member that does not drive the board, or is not there any more. Look again.');
			}
			// In a large selection only few can contain others: those that name a parent, or fewer dimensions.
			const parents = new Set([...members.values()].map(({ above }) => above));
			const most = Math.max(...unique.map(({ length }) => length));
			const wide = unique.filter((slice) => slice.length < most || slice.some((member) => parents.has(member)));
			return unique.filter((slice) => !wide.some((outer) => outer !== slice && isWithin(slice, outer)));
		}
	};
}

export const takeBackLocksSchema = z.object({ id: z.int(), reason: z.string().trim().max(500).default('') });

/** Takes a change of the board back, where what it set still stands. @throws Fault 404, 409 */
export async function takeBackLocks(
	person: SignedIn | undefined,
	modelId: number,
	{ id }: z.infer<typeof takeBackLocksSchema>
): Promise<{ change: number }> {
	const writer = requirePermission(person, 'lock.write');
	return changeLocks(modelId, async (client) => {
		const change = await readChange(client, modelId, id);
		if (change.layer !== 'board')
			throw new Fault(
				422,
				'not possible',
				'A closed period is reopened under Period close, a unit of a round under Cycle; both ask for a reason.'
			);
		const known = [...new Set(change.before.flatMap(({ members }) => members))];
		const there = await client.query('SELECT FROM member WHERE id = ANY ($1)', [known]);
		if (there.rowCount !== known.length) throw new Fault(409, 'not there', 'A member it named has been deleted since.');
		return { change: await putBack(client, modelId, writer.id, change) };
	});
}

export const dropSchema = z.object({ locks: z.array(z.int()).min(1).max(500) });

/** Takes locks of the board away that no cell of it stands for. */
export async function dropLocks(
	person: SignedIn | undefined,
	modelId: number,
	{ locks }: z.infer<typeof dropSchema>
): Promise<{ change: number | null }> {
	const writer = requirePermission(person, 'lock.write');
	return changeLocks(modelId, async (client) => {
		const found = await readRecords(client, modelId, 'board', locks);
		if (found.length === 0) return { change: null };
		const words = `${found.map(({ name }) => name).join(', ')}: taken away`;
		return {
			change: await writeLocks(client, modelId, {
				layer: 'board',
				person: writer.id,
				words,
				reason: '',
				goes: found.map(({ id }) => id),
				comes: []
			})
		};
	});
}

export const driversSchema = z.object({
	/** Dimensions (ids) in the order they are shown; none switches the board off. */
	dimensions: z.array(z.int()).max(6),
	/** Whether states that name a member of a dimension that drives it no longer go with it; asked about when left out. */
	away: z.boolean().optional()
});

export type DriversSet =
	| { kind: 'set' }
	/** Nothing is changed yet: what the states that are set would come to. */
	| { kind: 'states'; states: { name: string; state: LockRecord['state'] }[]; count: number };

/** Chooses what drives the board; states that name what no longer does are asked about. */
export async function setDrivers(
	person: SignedIn | undefined,
	modelId: number,
	{ dimensions, away }: z.infer<typeof driversSchema>
): Promise<DriversSet> {
	const writer = requirePermission(person, 'lock.write');
	return changeLocks(modelId, async (client) => {
		const known = await client.query<{ id: number; kind: string }>(
			'SELECT d.id, d.kind FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 WHERE d.id = ANY ($2)',
			[modelId, dimensions]
		);
		if (known.rowCount !== new Set(dimensions).size) throw new Fault(422, 'not there', 'A dimension named here is not in this model.');
		if (dimensions.length > 0 && !known.rows.some(({ kind }) => kind === 'scenario'))
			throw new Fault(422, 'no scenario', 'The scenario always drives the board: figures are locked within one.');
		const locks = await readRecords(client, modelId, 'board');
		const before = await driversOf(client, modelId);
		const leaving = await client.query<{ id: number }>(
			'SELECT id FROM member WHERE dimension_id = ANY ($1) AND NOT dimension_id = ANY ($2) AND id = ANY ($3)',
			[before, dimensions, locks.flatMap(({ members }) => members)]
		);
		const leaves = new Set(leaving.rows.map(({ id }) => id));
		const concerned = dimensions.length === 0 ? locks : locks.filter(({ members }) => members.some((id) => leaves.has(id)));
		if (concerned.length > 0 && away === undefined)
			return { kind: 'states', states: concerned.slice(0, 40).map(({ name, state }) => ({ name, state })), count: concerned.length };
		await client.query('DELETE FROM lock_dimension WHERE model_id = $1', [modelId]);
		await client.query(
			'INSERT INTO lock_dimension (model_id, dimension_id, position) SELECT $1, d, p FROM unnest($2::integer[]) WITH ORDINALITY AS x (d, p)',
			[modelId, dimensions]
		);
		const goes = away || dimensions.length === 0 ? concerned.map(({ id }) => id) : [];
		await writeLocks(client, modelId, {
			layer: 'board',
			person: writer.id,
			words: dimensions.length === 0 ? 'The board was switched off' : 'What drives the board was chosen anew',
			reason: '',
			goes,
			comes: []
		});
		return { kind: 'set' };
	});
}
