import type { HeldFor, Lock, SliceRule } from '../../core';
import type { Database } from './pool';

type LockRow = Omit<Lock, 'slice' | 'turns'> & {
	members: { dimension: number; member: number }[];
	turnsOn: string | null;
	turnsTo: Lock['state'] | null;
};

/** A lock's members (ids) by dimension (id), as JSON. */
const SLICE_OF_LOCK = `coalesce((SELECT json_agg(json_build_object('dimension', m.dimension_id, 'member', m.id) ORDER BY m.id)
	FROM access_lock_member x JOIN member m ON m.id = x.member_id WHERE x.lock_id = l.id), '[]')`;

/** The locks of a model as they stand today: one whose day has come is what it becomes. */
export async function readLocks(database: Database, modelId: number): Promise<Lock[]> {
	const found = await database.query<LockRow>(
		`SELECT l.id, l.layer, l.name, l.reason, CASE WHEN l.turns_on <= current_date THEN l.turns_to ELSE l.state END AS state,
			p.name AS by, l.set_at::date::text AS since, l.turns_on::text AS "turnsOn", l.turns_to AS "turnsTo", ${SLICE_OF_LOCK} AS members
		FROM access_lock l LEFT JOIN person p ON p.id = l.set_by WHERE l.model_id = $1 ORDER BY l.id`,
		[modelId]
	);
	const today = new Date().toISOString().slice(0, 10);
	return found.rows.map(({ id, layer, state, name, reason, by, since, turnsOn, turnsTo, members }) => ({
		id,
		layer,
		state,
		name,
		slice: sliceOf(members),
		...(by && { by, ask: by }),
		...(since && { since }),
		...(reason && { reason }),
		...(turnsOn && turnsTo && turnsOn > today && { turns: { on: turnsOn, to: turnsTo } })
	}));
}

function sliceOf(members: LockRow['members']): SliceRule {
	const slice: Record<number, number[]> = {};
	for (const { dimension, member } of members) (slice[dimension] ??= []).push(member);
	return slice;
}

/** Where a person may still write although it is held: by themselves, by a group, or at members that name them. */
export async function readHeldFor(database: Database, person: number, modelId: number): Promise<HeldFor[]> {
	const found = await database.query<HeldFor>(
		`SELECT w.lock_id AS lock, '{}'::json AS slice FROM access_lock_writer w JOIN access_lock l ON l.id = w.lock_id AND l.model_id = $2
		WHERE w.person_id = $1 OR w.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = $1)
		UNION ALL
		SELECT w.lock_id, json_build_object(w.dimension_id, json_agg(DISTINCT n.member_id)) FROM access_lock_writer w
			JOIN access_lock l ON l.id = w.lock_id AND l.model_id = $2
			JOIN named_at_member n ON n.dimension_id = w.dimension_id AND n.field = w.field AND n.attribute_id IS NOT DISTINCT FROM w.attribute_id AND n.person_id = $1
		WHERE w.dimension_id IS NOT NULL GROUP BY w.lock_id, w.dimension_id, w.field, w.attribute_id`,
		[person, modelId]
	);
	return found.rows;
}
