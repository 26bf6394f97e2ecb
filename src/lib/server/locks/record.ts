/** Locks as they are stored and journalled: what a change of them finds, writes, and puts back. */
import { isDeepStrictEqual } from 'node:util';
import type pg from 'pg';
import { z } from 'zod';
import { LOCK_STATES, type LockLayer } from '../../core';
import { actingNow } from '../acting';
import type { Database } from '../database';
import { countUpStructure } from '../database/structure-version';
import { Fault } from '../fault';

export const writerSchema = z.union([
	z.object({ person: z.int() }),
	z.object({ group: z.int() }),
	/** Whom the member a figure lies at names: its owner, its reviewers, or an attribute (id). */
	z.object({ dimension: z.int(), by: z.union([z.enum(['owner', 'reviewers']), z.int()]) })
]);
export type LockWriter = z.infer<typeof writerSchema>;

const day = z.iso.date();
export const turnsSchema = z.object({ on: day, to: z.enum(LOCK_STATES) });

/** A lock without its number: of a slice by its members (ids), in order. */
export interface LockRecord {
	members: number[];
	state: (typeof LOCK_STATES)[number];
	name: string;
	reason: string;
	turns: z.infer<typeof turnsSchema> | null;
	writers: LockWriter[];
	setBy: number | null;
	setAt: string | null;
}

export const keyOf = (members: readonly number[]): string => [...members].sort((one, other) => one - other).join(' ');

type Stored = LockRecord & { id: number };

/**
 * Locks of a layer as they are stored, locked until the transaction ends where it is asked within one.
 * @param of ids; all of the layer when left out
 */
export async function readRecords(database: Database, modelId: number, layer: LockLayer, of?: readonly number[]): Promise<Stored[]> {
	const found = await database.query<Omit<Stored, 'turns'> & { turnsOn: string | null; turnsTo: LockRecord['state'] | null }>(
		`SELECT l.id, l.state, l.name, l.reason, l.turns_on::text AS "turnsOn", l.turns_to AS "turnsTo", l.set_by AS "setBy", l.set_at AS "setAt",
			coalesce((SELECT array_agg(m.member_id ORDER BY m.member_id) FROM access_lock_member m WHERE m.lock_id = l.id), '{}') AS members,
			coalesce((SELECT json_agg(CASE WHEN w.person_id IS NOT NULL THEN json_build_object('person', w.person_id)
				WHEN w.group_id IS NOT NULL THEN json_build_object('group', w.group_id)
				WHEN w.attribute_id IS NOT NULL THEN json_build_object('dimension', w.dimension_id, 'by', w.attribute_id)
				ELSE json_build_object('dimension', w.dimension_id, 'by', w.field) END ORDER BY w.person_id, w.group_id, w.dimension_id, w.field, w.attribute_id)
				FROM access_lock_writer w WHERE w.lock_id = l.id), '[]') AS writers
		FROM access_lock l WHERE l.model_id = $1 AND l.layer = $2 AND ($3::integer[] IS NULL OR l.id = ANY ($3)) ORDER BY l.id`,
		[modelId, layer, of ?? null]
	);
	return found.rows.map(({ turnsOn, turnsTo, setAt, ...lock }) => ({
		...lock,
		setAt: setAt && new Date(setAt).toISOString(),
		turns: turnsOn && turnsTo ? { on: turnsOn, to: turnsTo } : null
	}));
}

/** One change of locks: who, in words, and the locks that go and come. */
export interface LockChange {
	layer: LockLayer;
	/** Null where it happens by itself on its day. */
	person: number | null;
	words: string;
	reason: string;
	/** Ids of locks that go. */
	goes: readonly number[];
	comes: readonly LockRecord[];
	takesBack?: number;
}

/** Writes a change of locks and its line in the journal, within the caller's transaction. @returns the line’s number */
export async function writeLocks(client: pg.PoolClient, modelId: number, change: LockChange): Promise<number> {
	const { layer, person, words, reason, goes, comes, takesBack = null } = change;
	const before = goes.length === 0 ? [] : (await readRecords(client, modelId, layer, goes)).map(({ id: _, ...lock }) => lock);
	await client.query('DELETE FROM access_lock WHERE model_id = $1 AND layer = $2 AND id = ANY ($3)', [modelId, layer, goes]);
	await insertLocks(client, modelId, layer, comes);
	const noted = await client.query<{ id: number }>(
		`INSERT INTO lock_change (model_id, person_id, acting_id, layer, words, reason, before, after, takes_back)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id`,
		[modelId, person, actingNow(), layer, words, reason, JSON.stringify(before), JSON.stringify(comes), takesBack]
	);
	await countUpStructure(client, [modelId], 'locks');
	return noted.rows[0]!.id;
}

/** Inserts locks in one go. @returns their ids, in order */
export async function insertLocks(
	client: pg.PoolClient,
	modelId: number,
	layer: LockLayer,
	locks: readonly LockRecord[]
): Promise<number[]> {
	if (locks.length === 0) return [];
	const made = await client.query<{ id: number; place: number }>(
		`WITH asked AS (SELECT *, row_number() OVER () AS place FROM jsonb_to_recordset($3::jsonb)
				AS x (state text, name text, reason text, "turnsOn" date, "turnsTo" text, "setBy" integer, "setAt" timestamptz)),
			numbered AS (SELECT a.*, nextval(pg_get_serial_sequence('access_lock', 'id'))::integer AS id FROM asked a),
			made AS (INSERT INTO access_lock (id, model_id, layer, state, name, reason, turns_on, turns_to, set_by, set_at) OVERRIDING SYSTEM VALUE
				SELECT id, $1, $2, state, name, reason, "turnsOn", "turnsTo", "setBy", "setAt" FROM numbered)
		SELECT id, place::integer FROM numbered ORDER BY place`,
		[
			modelId,
			layer,
			JSON.stringify(locks.map(({ turns, ...lock }) => ({ ...lock, turnsOn: turns?.on ?? null, turnsTo: turns?.to ?? null })))
		]
	);
	const ids = made.rows.map(({ id }) => id);
	const members = locks.flatMap(({ members: of }, at) => of.map((member) => [ids[at]!, member]));
	await client.query('INSERT INTO access_lock_member (lock_id, member_id) SELECT * FROM unnest($1::integer[], $2::integer[])', [
		members.map(([lock]) => lock),
		members.map(([, member]) => member)
	]);
	const writers = locks.flatMap(({ writers: of }, at) => of.map((writer) => ({ lock: ids[at]!, writer })));
	if (writers.length > 0)
		await client.query(
			`INSERT INTO access_lock_writer (lock_id, person_id, group_id, dimension_id, field, attribute_id)
			SELECT * FROM unnest($1::integer[], $2::integer[], $3::integer[], $4::integer[], $5::text[], $6::integer[])`,
			[
				writers.map(({ lock }) => lock),
				writers.map(({ writer }) => ('person' in writer ? writer.person : null)),
				writers.map(({ writer }) => ('group' in writer ? writer.group : null)),
				writers.map(({ writer }) => ('dimension' in writer ? writer.dimension : null)),
				writers.map(({ writer }) => ('dimension' in writer ? (typeof writer.by === 'number' ? 'attribute' : writer.by) : null)),
				writers.map(({ writer }) => ('dimension' in writer && typeof writer.by === 'number' ? writer.by : null))
			]
		);
	return ids;
}

/**
 * Puts back what a change of locks found, where it still is as that change left it.
 * @throws Fault 409 where it has been changed since
 */
export async function putBack(
	client: pg.PoolClient,
	modelId: number,
	person: number,
	change: { id: number; layer: LockLayer; words: string; before: LockRecord[]; after: LockRecord[] }
): Promise<number> {
	const standing = new Map((await readRecords(client, modelId, change.layer)).map((lock) => [keyOf(lock.members), lock]));
	const slices = new Set([...change.before, ...change.after].map(({ members }) => keyOf(members)));
	const after = new Map(change.after.map((lock) => [keyOf(lock.members), lock]));
	const goes: number[] = [];
	for (const slice of slices) {
		const now = standing.get(slice);
		const { id = null, ...lock } = now ?? { id: null };
		if (!isDeepStrictEqual(now ? lock : undefined, after.get(slice)))
			throw new Fault(409, 'changed since', 'It has been changed again since. Take the later change back first.');
		if (id !== null) goes.push(id);
	}
	return writeLocks(client, modelId, {
		layer: change.layer,
		person,
		words: `Taken back: ${change.words}`,
		reason: '',
		goes,
		comes: change.before,
		takesBack: change.id
	});
}
