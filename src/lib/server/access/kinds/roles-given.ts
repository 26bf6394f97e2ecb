import type pg from 'pg';
import { z } from 'zod';
import { Fault } from '../../fault';
import type { Holder } from './kind';

/** Roles (ids) given to somebody, each in one model (id) or, where it is null, in all. */
export const rolesGivenSchema = z.array(z.object({ role: z.int(), model: z.int().nullable() })).max(200);
export type RolesGiven = z.infer<typeof rolesGivenSchema>;

const columnOf = (holder: Holder): ['person_id' | 'group_id', number] =>
	'person' in holder ? ['person_id', holder.person] : ['group_id', holder.group];

export async function readRolesGiven(client: pg.PoolClient, holder: Holder): Promise<RolesGiven> {
	const [column, id] = columnOf(holder);
	const found = await client.query<RolesGiven[number]>(
		`SELECT role_id AS role, model_id AS model FROM role_given WHERE ${column} = $1 ORDER BY role_id, model_id NULLS FIRST`,
		[id]
	);
	return found.rows;
}

/** @throws Fault where a role or a model is not there any more */
export async function writeRolesGiven(client: pg.PoolClient, holder: Holder, roles: RolesGiven): Promise<void> {
	const [column, id] = columnOf(holder);
	await client.query(`DELETE FROM role_given WHERE ${column} = $1`, [id]);
	const made = await client.query(
		`INSERT INTO role_given (${column}, role_id, model_id)
		SELECT $1, r.id, x.model FROM unnest($2::integer[], $3::integer[]) AS x (role, model)
		JOIN role r ON r.id = x.role LEFT JOIN model m ON m.id = x.model WHERE x.model IS NULL OR m.id IS NOT NULL ON CONFLICT DO NOTHING`,
		[id, roles.map(({ role }) => role), roles.map(({ model }) => model)]
	);
	const distinct = new Set(roles.map(({ role, model }) => `${role} ${model ?? ''}`)).size;
	if (made.rowCount !== distinct)
		throw new Fault(422, 'not there', 'A role or a model named here is not there any more. Load the page anew and choose again.');
}
