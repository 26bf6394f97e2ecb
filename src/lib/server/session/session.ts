import { hash, verify } from '@node-rs/argon2';
import { randomBytes } from 'node:crypto';
import { localeAsked } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { countAttempt, forgetAttempts, inTurn } from './attempts';
import { browserInWords, knownBrowser } from './browser';
import { hashOf, SESSION_HOLDS } from './open';
import { KnownPerson, PERSON_COLUMNS, type StoredPerson } from './person';
import { idleHours, passwordsAllowed, sessionDays } from './policy';
import { codeAsked, takeCode } from './second-factor';

/** Where somebody signs in from. */
export interface From {
	/** The client's network address. */
	address: string;
	/** The token its browser keeps from an earlier time. */
	browser?: string | undefined;
	/** What it says it is. */
	userAgent?: string | undefined;
	/** What it asks for: how numbers and dates are written until the person chooses. */
	acceptLanguage?: string | undefined;
}

/** Verified when no such person exists, so that the answer takes as long either way. */
let decoy: Promise<string> | undefined;

/**
 * Opens a session by a password.
 * @param from where from, or the address alone
 * @returns the token for the cookie
 * @throws Fault 429 after too many attempts, 401 when name or password is wrong (not said which), 401 'code wanted' with the
 * step to go on from where a code is wanted after the password
 */
export async function signIn(email: string, password: string, from: From | string): Promise<string> {
	const name = email.trim().toLowerCase();
	const origin = typeof from === 'string' ? { address: from } : from;
	if (!passwordsAllowed())
		throw new Fault(403, 'no passwords', 'Nobody signs in with a password here. Use the sign-on of your organisation.');
	return inTurn(origin.address, async () => {
		const known = await knownBrowser(name, origin.browser);
		const attempt = await countAttempt(name, origin.address, known);
		const person = await verifiedPerson(name, password);
		await forgetAttempts(attempt, name, origin.address);
		const step = await codeAsked(person);
		if (step) throw new Fault(401, 'code wanted', 'Type the code of your second factor.', { step });
		return openSession(person, origin);
	});
}

/** The second step: the code that follows the password. @throws Fault 401 for a wrong one or a step whose time is over, 429 */
export async function signInWithCode(step: string, code: string, from: From): Promise<string> {
	return openSession(await takeCode(step, code, from.address), from);
}

/** Opens a session for somebody who has proved who they are; those they have elsewhere hear of it. @returns its token */
export async function openSession(person: number, { address, browser, userAgent = '', acceptLanguage = '' }: From): Promise<string> {
	const locale = localeAsked(acceptLanguage);
	if (locale) await pool().query('UPDATE person SET locale = $2 WHERE id = $1 AND NOT locale_chosen', [person, locale]);
	const token = randomBytes(32).toString('base64url');
	const words = browserInWords(userAgent);
	await tellOfNewBrowser(person, browser, address, words);
	await pool().query(
		'INSERT INTO session (token_hash, person_id, expires_at, address, browser) VALUES ($1, $2, now() + make_interval(days => $3), $4, $5)',
		[hashOf(token), person, sessionDays(), address.slice(0, 100), words]
	);
	return token;
}

/** A session of a few minutes for what the server itself looks at in somebody's name. @returns its token */
export async function openForMinutes(person: number, minutes: number): Promise<string> {
	const token = randomBytes(32).toString('base64url');
	await pool().query(
		`INSERT INTO session (token_hash, person_id, expires_at, address, browser) SELECT $1, id, now() + make_interval(mins => $3), 'this server', 'Printing' FROM person WHERE id = $2 AND active`,
		[hashOf(token), person, minutes]
	);
	return token;
}

/** A letter to somebody who has signed in from a browser that is not among those they are known by. */
async function tellOfNewBrowser(person: number, browser: string | undefined, address: string, words: string): Promise<void> {
	await pool().query(
		`INSERT INTO outbox (address, subject, body)
		SELECT p.email, 'Somebody signed in as you', p.name || E',\\n\\nsomebody, you we hope, signed in from ' || $3 || E'.\\n\\nIf it was not you, change your password and sign out everywhere else, under Your sign-in.\\n'
		FROM person p WHERE p.id = $1
			AND EXISTS (SELECT FROM known_browser b WHERE b.person_id = p.id)
			AND NOT EXISTS (SELECT FROM known_browser b WHERE b.person_id = p.id AND b.token_hash = $2)`,
		[person, hashOf(browser ?? ''), `${words || 'a program'} at the address ${address}`]
	);
}

/** The person (id) whose name and password these are. @throws Fault 401 */
async function verifiedPerson(name: string, password: string): Promise<number> {
	const found = await pool().query<{ id: number; password_hash: string | null }>(
		'SELECT id, password_hash FROM person WHERE lower(email) = $1 AND active',
		[name]
	);
	const person = found.rows[0];
	// Whoever was invited and has not set a password yet is told no more than a stranger.
	const stored = person?.password_hash ?? (await (decoy ??= hash(randomBytes(16).toString('hex'))));
	const matches = await verify(stored, password);
	if (!person || person.password_hash === null || !matches)
		throw new Fault(401, 'wrong sign-in', 'This e-mail address and password do not belong together. Check both and try again.');
	return person.id;
}

/** A session that was used within this time need not be noted again. */
const SEEN_SECONDS = 60;

interface InSession extends StoredPerson {
	/** Whether it is they who signed in; else it is whose place is taken. */
	own: boolean;
	way: 'look' | 'stand in' | null;
	/** Whether a place may still be taken: it is within the days of a substitute. */
	holds: boolean;
	stale: boolean;
}

/** The person a token belongs to, or whose place they take; undefined when it is unknown or has expired. */
export async function readSession(token: string): Promise<KnownPerson | undefined> {
	const found = await pool().query<InSession>(
		`SELECT ${PERSON_COLUMNS}, p.id = s.person_id AS own, s.as_way AS way, s.seen_at < now() - make_interval(secs => ${SEEN_SECONDS}) AS stale,
			s.as_way = 'look' OR EXISTS (SELECT FROM substitute u WHERE u.person_id = s.as_person_id AND u.substitute_id = s.person_id
				AND current_date BETWEEN u.from_date AND u.until_date) AS holds
		FROM session s JOIN person p ON p.id IN (s.person_id, s.as_person_id) WHERE p.active AND s.token_hash = $1 AND ${SESSION_HOLDS('$2')}`,
		[hashOf(token), idleHours()]
	);
	const own = found.rows.find((row) => row.own);
	if (!own) return undefined;
	if (own.stale) await pool().query('UPDATE session SET seen_at = now() WHERE token_hash = $1', [hashOf(token)]);
	const self = new KnownPerson(own);
	const other = found.rows.find((row) => !row.own);
	const { way } = own;
	if (!other || way === null || !own.holds || (way === 'look' && !self.in(null).everywhere!.includes('access.look'))) return self;
	return new KnownPerson(other, { acting: { id: own.id, name: own.name, way } });
}

/** Ends a session; sessions that have expired go with it. */
export async function forgetSession(token: string): Promise<void> {
	await pool().query('DELETE FROM session WHERE token_hash = $1 OR expires_at < now() OR seen_at < now() - make_interval(hours => $2)', [
		hashOf(token),
		idleHours()
	]);
}
