/** Taking another one's place: to see what they see, or to do their work while they are away. */
import { pool, transaction } from '../database';
import { Fault, notSignedIn } from '../fault';
import { hashOf } from './open';
import { requirePermissionEverywhere } from './permission';
import type { SignedIn } from './person';

/** People whose place one may take today: they named one, and are away. */
export async function mayStandInFor(person: SignedIn | undefined): Promise<{ id: number; name: string; until: string }[]> {
	if (!person) throw notSignedIn();
	if (person.acting) return [];
	const found = await pool().query<{ id: number; name: string; until: string }>(
		`SELECT p.id, p.name, max(u.until_date)::text AS until FROM substitute u JOIN person p ON p.id = u.person_id
		WHERE u.substitute_id = $1 AND p.active AND current_date BETWEEN u.from_date AND u.until_date GROUP BY p.id ORDER BY p.name`,
		[person.id]
	);
	return found.rows;
}

/**
 * From here on the session shows what somebody else sees, or works in their place.
 * @throws Fault 403 where one may not, 409 where one already takes somebody's place
 */
export async function takePlace(
	person: SignedIn | undefined,
	token: string | undefined,
	id: number,
	way: 'look' | 'stand in'
): Promise<void> {
	if (!person || !token) throw notSignedIn();
	if (person.acting) throw new Fault(409, 'takes a place', `You are working as ${person.name}. Go back to your own place first.`);
	if (id === person.id) throw new Fault(422, 'not possible', 'This is you already.');
	if (way === 'look') requirePermissionEverywhere(person, 'access.look');
	else if (!(await mayStandInFor(person)).some((each) => each.id === id))
		throw new Fault(403, 'not allowed', 'You do not stand in for this person today. They, or an administrator, can name you.');
	await transaction(async (client) => {
		const taken = await client.query(
			'UPDATE session SET as_person_id = $2, as_way = $3 WHERE token_hash = $1 AND EXISTS (SELECT FROM person WHERE id = $2 AND active)',
			[hashOf(token), id, way]
		);
		if (taken.rowCount === 0) throw new Fault(422, 'not active', 'This person is not active: there is nothing they see.');
		await client.query(
			`INSERT INTO access_change (person_id, kind, object_id, name, words) SELECT $1, 'place', $2, p.name, $3 FROM person p WHERE p.id = $2`,
			[person.id, id, way === 'look' ? 'seen as they see it' : 'place taken as their substitute']
		);
	});
}

/** Back to one's own place. */
export async function leavePlace(token: string | undefined): Promise<void> {
	if (!token) throw notSignedIn();
	await pool().query('UPDATE session SET as_person_id = NULL, as_way = NULL WHERE token_hash = $1', [hashOf(token)]);
}
