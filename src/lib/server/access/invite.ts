import { pool } from '../database';
import { notFound } from '../fault';
import { requirePermissionEverywhere, sendPasswordLink, type SignedIn } from '../session';

/** Writes somebody who was invited, or has forgotten their password, a link to set one. @throws Fault 404 */
export async function invitePerson(person: SignedIn | undefined, id: number, origin: string): Promise<Record<string, never>> {
	requirePermissionEverywhere(person, 'access.write');
	const found = await pool().query<{ invited: boolean }>('SELECT password_hash IS NULL AS invited FROM person WHERE id = $1 AND active', [
		id
	]);
	if (!found.rows[0]) throw notFound('person');
	await sendPasswordLink(pool(), id, found.rows[0].invited ? 'invitation' : 'reset', origin);
	return {};
}
