import { createHash } from 'node:crypto';
import { pool } from '../database';
import { idleHours } from './policy';

/** What of a token is stored. */
export const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();

/** Whether session `s` has neither come to its end nor been left alone for too long. @param idle a parameter: hours */
export const SESSION_HOLDS = (idle: string): string => `s.expires_at > now() AND s.seen_at > now() - make_interval(hours => ${idle})`;

/** Whether a token still stands for somebody who may work here. */
export async function isSessionOpen(token: string): Promise<boolean> {
	const found = await pool().query(
		`SELECT FROM session s JOIN person p ON p.id = s.person_id WHERE p.active AND s.token_hash = $1 AND ${SESSION_HOLDS('$2')}`,
		[hashOf(token), idleHours()]
	);
	return (found.rowCount ?? 0) > 0;
}
