import Bowser from 'bowser';
import { randomBytes } from 'node:crypto';
import { pool } from '../database';
import { hashOf } from './open';

/** Browsers that were not seen for this long are forgotten. */
const BROWSER_DAYS = 180;

/** What a browser is called, if this person has signed in with it before. @param browser the token it keeps */
export async function knownBrowser(name: string, browser: string | undefined): Promise<string | undefined> {
	if (!browser) return undefined;
	const hash = hashOf(browser);
	const found = await pool().query(
		'UPDATE known_browser b SET seen_at = now() FROM person p WHERE p.id = b.person_id AND lower(p.email) = $2 AND b.token_hash = $1',
		[hash, name]
	);
	return found.rowCount ? hash.toString('hex') : undefined;
}

/**
 * Remembers the browser of a session as one its person signs in with.
 * @param current the token it keeps, if it has one
 * @returns the token for it to keep; undefined where it is known already, or the session has ended
 */
export async function rememberBrowser(session: string, current?: string): Promise<string | undefined> {
	const known = await pool().query(
		'SELECT FROM known_browser b JOIN session s ON s.person_id = b.person_id WHERE b.token_hash = $1 AND s.token_hash = $2',
		[hashOf(current ?? ''), hashOf(session)]
	);
	if (known.rowCount) return undefined;
	await pool().query('DELETE FROM known_browser WHERE seen_at < now() - make_interval(days => $1)', [BROWSER_DAYS]);
	const token = randomBytes(32).toString('base64url');
	const made = await pool().query(
		'INSERT INTO known_browser (token_hash, person_id) SELECT $1, person_id FROM session WHERE token_hash = $2',
		[hashOf(token), hashOf(session)]
	);
	return made.rowCount ? token : undefined;
}

/** A browser in a few words: its name, its version, the system it runs on; empty where nothing can be told. */
export function browserInWords(userAgent: string): string {
	if (userAgent === '') return '';
	const { browser, os } = Bowser.parse(userAgent.slice(0, 400));
	return [[browser.name, browser.version?.split('.')[0]].filter(Boolean).join(' '), os.name].filter(Boolean).join(', ').slice(0, 100);
}
