import type { AccessRules, Grant } from '../../core';
import { pool } from '../database';
import { readHeldFor } from '../database/model-locks';
import type { Database } from '../database/pool';
import { Fault } from '../fault';
import type { SignedIn } from '../session';

/** A person's grants, their own and those of their groups, what is held for them, and what a model guards, as the core asks for them. */
export async function readAccessRules(person: SignedIn, modelId: number): Promise<AccessRules> {
	const [grants, heldFor, guarded] = await Promise.all([
		readGrants(person.id, modelId),
		readHeldFor(pool(), person.id, modelId),
		readGuarded(modelId)
	]);
	return {
		mayEnter: person.permissions.includes('form.enter'),
		grants,
		...(person.branch?.part && { within: { name: person.branch.name, slice: person.branch.part } }),
		...(heldFor.length > 0 && { heldFor }),
		...(guarded.length > 0 && { guarded })
	};
}

/** The dimensions (ids) on which a model restricts who reads what. */
export async function readGuarded(modelId: number, database: Database = pool()): Promise<number[]> {
	const found = await database.query<{ dimension: number }>(
		'SELECT dimension_id AS dimension FROM guarded_dimension WHERE model_id = $1 ORDER BY dimension_id',
		[modelId]
	);
	return found.rows.map(({ dimension }) => dimension);
}

/** What is granted to a person in a model: to them, to a group they are in, or where an attribute names them. */
export async function readGrants(person: number, modelId: number): Promise<Grant[]> {
	const grants = await pool().query<Grant>(
		'SELECT name, level, slice FROM granted_slice WHERE model_id = $1 AND person_id = $2 ORDER BY kind, grant_id',
		[modelId, person]
	);
	return grants.rows;
}

/**
 * Grants and locks hold for members of the main tree and what is under them there; a group of an alternate hierarchy would
 * cover nothing. @throws Fault 422 with the name of what names such a group
 */
export async function refuseAlternateGroups(database: Database, what: string, members: readonly number[]): Promise<void> {
	const groups = await database.query<{ name: string; hierarchy: string }>(
		`SELECT m.name, h.name AS hierarchy FROM member m
		JOIN hierarchy_node n ON n.parent_id = m.id JOIN hierarchy h ON h.id = n.hierarchy_id AND NOT h.main
		WHERE m.id = ANY ($1) AND NOT EXISTS (SELECT FROM hierarchy_node o JOIN hierarchy t ON t.id = o.hierarchy_id AND t.main WHERE o.parent_id = m.id)
		LIMIT 1`,
		[members]
	);
	const [group] = groups.rows;
	if (group)
		throw new Fault(
			422,
			'alternate group',
			`${what} names ${group.name}, a group of the alternate hierarchy ${group.hierarchy}. Name the members themselves: grants and locks follow the main hierarchy.`
		);
}
