import { createHash } from 'node:crypto';
import { pool } from '../database';

/** What of a token is stored. */
export const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

/** Whether a token still stands for somebody who may work here. */
export async function isSessionOpen(token: string): Promise<boolean> {
	const found = await pool().query(
		'SELECT FROM session s JOIN person p ON p.id = s.person_id WHERE p.active AND s.token_hash = $1 AND s.expires_at > now()',
		[hashOf(token)]
	);
	return (found.rowCount ?? 0) > 0;
}
