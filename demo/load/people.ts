// People, roles and permissions.
import { hash } from '@node-rs/argon2';
import type pg from 'pg';
import { READY_ROLES } from '../../src/lib/server/access/ready-roles';
import { DEMO_PASSWORD, demoPeople } from '../people.mjs';
import { insertId, type Ids } from './dimensions';

export async function loadPeople(client: pg.PoolClient): Promise<Ids> {
	for (const role of READY_ROLES) {
		const id = await insertId(client, 'INSERT INTO role (code, name, description) VALUES ($1, $2, $3) RETURNING id', [
			role.code,
			role.name,
			role.description
		]);
		await client.query('INSERT INTO role_permission (role_id, permission) SELECT $1, unnest($2::text[])', [id, role.permissions]);
	}
	const ids: Ids = new Map();
	for (const person of demoPeople) {
		const id = await insertId(
			client,
			'INSERT INTO person (email, name, title, password_hash, locale_chosen) VALUES ($1, $2, $3, $4, true) RETURNING id',
			[person.email, person.name, person.title, await hash(DEMO_PASSWORD)]
		);
		await client.query('INSERT INTO role_given (person_id, role_id) SELECT $1, id FROM role WHERE code = $2', [id, person.role]);
		ids.set(person.email, id);
	}
	return ids;
}
