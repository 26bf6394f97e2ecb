import { pool, transaction } from '../database';
import { lockAccess } from '../database/locks';
import { Fault, notFound } from '../fault';
import { forgetFactor, passwordsAllowed, requirePermissionEverywhere, sendPasswordLink, type SignedIn } from '../session';

/** Writes somebody who was invited, or has forgotten their password, a link to set one. @throws Fault 404 */
export async function invitePerson(person: SignedIn | undefined, id: number, origin: string): Promise<Record<string, never>> {
	requirePermissionEverywhere(person, 'access.write');
	if (!passwordsAllowed())
		throw new Fault(422, 'no passwords', 'Nobody signs in with a password here: they come in by the sign-on of your organisation.');
	const found = await pool().query<{ invited: boolean }>('SELECT password_hash IS NULL AS invited FROM person WHERE id = $1 AND active', [
		id
	]);
	if (!found.rows[0]) throw notFound('person');
	await sendPasswordLink(pool(), id, found.rows[0].invited ? 'invitation' : 'reset', origin);
	return {};
}

/** Takes the second factor off somebody who has lost it, with their recovery codes; their sessions end. @throws Fault 404 */
export async function dropFactorOf(person: SignedIn | undefined, id: number): Promise<void> {
	const writer = requirePermissionEverywhere(person, 'access.write');
	await transaction(async (client) => {
		await lockAccess(client);
		const had = await client.query<{ name: string }>(
			'SELECT p.name FROM person p JOIN second_factor f ON f.person_id = p.id WHERE p.id = $1',
			[id]
		);
		if (!had.rows[0]) throw notFound('second factor');
		await forgetFactor(id, client);
		await client.query('DELETE FROM session WHERE person_id = $1', [id]);
		await client.query(
			`INSERT INTO access_change (person_id, kind, object_id, name, words) VALUES ($1, 'factor', $2, $3, 'second factor taken off')`,
			[writer.id, id, had.rows[0].name]
		);
	});
}
