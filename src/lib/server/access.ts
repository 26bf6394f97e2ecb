import type { AccessRules, Grant, Lock, SliceRule } from '../core';
import { pool } from './database';
import type { SignedIn } from './session';

interface SliceRow {
	id: number;
	name: string;
	members: { dimension: number; member: number }[];
}

/** A person's grants and the model's locks, as the core asks for them. */
export async function readAccessRules(person: SignedIn, modelId: number): Promise<AccessRules> {
	const [grants, locks] = await Promise.all([readGrants(person, modelId), readLocks(modelId)]);
	return { mayEnter: person.permissions.includes('form.enter'), grants, locks };
}

async function readGrants(person: SignedIn, modelId: number): Promise<Grant[]> {
	const grants = await pool().query<SliceRow & { level: Grant['level'] }>(
		`SELECT g.id, g.name, g.level,
			coalesce(json_agg(json_build_object('dimension', m.dimension_id, 'member', m.id)) FILTER (WHERE m.id IS NOT NULL), '[]') AS members
		FROM access_grant g LEFT JOIN access_grant_member gm ON gm.grant_id = g.id LEFT JOIN member m ON m.id = gm.member_id
		WHERE g.model_id = $1 AND g.person_id = $2 GROUP BY g.id ORDER BY g.id`,
		[modelId, person.id]
	);
	return grants.rows.map(({ name, level, members }) => ({ name, level, slice: sliceOf(members) }));
}

/** The locks of a model. */
export async function readLocks(modelId: number): Promise<Lock[]> {
	const locks = await pool().query<SliceRow & Pick<Lock, 'layer' | 'state'>>(
		`SELECT l.id, l.name, l.layer, l.state,
			coalesce(json_agg(json_build_object('dimension', m.dimension_id, 'member', m.id)) FILTER (WHERE m.id IS NOT NULL), '[]') AS members
		FROM access_lock l LEFT JOIN access_lock_member lm ON lm.lock_id = l.id LEFT JOIN member m ON m.id = lm.member_id
		WHERE l.model_id = $1 GROUP BY l.id ORDER BY l.id`,
		[modelId]
	);
	return locks.rows.map(({ name, layer, state, members }) => ({ name, layer, state, slice: sliceOf(members) }));
}

function sliceOf(members: SliceRow['members']): SliceRule {
	const slice: Record<number, number[]> = {};
	for (const { dimension, member } of members) (slice[dimension] ??= []).push(member);
	return slice;
}
