import { hash, verify } from '@node-rs/argon2';
import { createHash, randomBytes } from 'node:crypto';
import { localeAsked } from '../../core';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import type { Permission } from './permission';

export interface SignedIn {
	id: number;
	name: string;
	email: string;
	title: string;
	locale: string;
	theme: 'paper' | 'night';
	permissions: Permission[];
}

export const SESSION_DAYS = 14;

/** Attempts within a quarter of an hour before a name, or an address, has to wait. */
const ATTEMPTS_PER_NAME = 8;
const ATTEMPTS_PER_ADDRESS = 40;

/** Verified when no such person exists, so that the answer takes as long either way. */
let decoy: Promise<string> | undefined;

/**
 * Opens a session.
 * @param address the client's network address, for the rate limit
 * @param acceptLanguage what the browser asks for: how numbers and dates are written until the person chooses
 * @returns the token for the cookie
 * @throws Fault 429 after too many attempts, 401 when name or password is wrong (not said which)
 */
export async function signIn(email: string, password: string, address: string, acceptLanguage = ''): Promise<string> {
	const name = email.trim().toLowerCase();
	await countAttempt(name, address);
	const found = await pool().query<{ id: number; password_hash: string }>(
		'SELECT id, password_hash FROM person WHERE lower(email) = $1 AND active',
		[name]
	);
	const person = found.rows[0];
	const stored = person?.password_hash ?? (await (decoy ??= hash(randomBytes(16).toString('hex'))));
	const matches = await verify(stored, password);
	if (!person || !matches)
		throw new Fault(401, 'wrong sign-in', 'This e-mail address and password do not belong together. Check both and try again.');
	await pool().query('DELETE FROM sign_in_attempt WHERE subject = $1', [`name ${name}`]);
	// A whole office may sign in from one address: only what fails counts against it.
	await pool().query(
		'DELETE FROM sign_in_attempt WHERE ctid = (SELECT ctid FROM sign_in_attempt WHERE subject = $1 ORDER BY at DESC LIMIT 1)',
		[`address ${address}`]
	);
	const locale = localeAsked(acceptLanguage);
	if (locale) await pool().query('UPDATE person SET locale = $2 WHERE id = $1 AND NOT locale_chosen', [person.id, locale]);
	const token = randomBytes(32).toString('base64url');
	await pool().query('INSERT INTO session (token_hash, person_id, expires_at) VALUES ($1, $2, now() + make_interval(days => $3))', [
		hashOf(token),
		person.id,
		SESSION_DAYS
	]);
	return token;
}

const PERSON = `SELECT p.id, p.name, p.email, p.title, p.locale, p.theme,
		coalesce(array_agg(DISTINCT rp.permission) FILTER (WHERE rp.permission IS NOT NULL), '{}') AS permissions
	FROM person p LEFT JOIN person_role pr ON pr.person_id = p.id LEFT JOIN role_permission rp ON rp.role_id = pr.role_id`;

/** The person a token belongs to, undefined when it is unknown or has expired. */
export async function readSession(token: string): Promise<SignedIn | undefined> {
	const found = await pool().query<SignedIn>(
		`${PERSON} JOIN session s ON s.person_id = p.id WHERE p.active AND s.token_hash = $1 AND s.expires_at > now() GROUP BY p.id`,
		[hashOf(token)]
	);
	return found.rows[0];
}

/** A person with today's rights, for work in their name while they are away. @throws Fault when they are gone or not active */
export async function personById(id: number): Promise<SignedIn> {
	const found = await pool().query<SignedIn>(`${PERSON} WHERE p.active AND p.id = $1 GROUP BY p.id`, [id]);
	if (!found.rows[0]) throw notFound('person');
	return found.rows[0];
}

/** The same by e-mail address. */
export async function personByEmail(email: string): Promise<SignedIn> {
	const found = await pool().query<{ id: number }>('SELECT id FROM person WHERE lower(email) = lower($1)', [email.trim()]);
	return personById(found.rows[0]?.id ?? 0);
}

/** Ends a session; sessions that have expired go with it. */
export async function forgetSession(token: string): Promise<void> {
	await pool().query('DELETE FROM session WHERE token_hash = $1 OR expires_at < now()', [hashOf(token)]);
}

async function countAttempt(name: string, address: string): Promise<void> {
	await pool().query("DELETE FROM sign_in_attempt WHERE at < now() - interval '15 minutes'");
	const counted = await pool().query<{ subject: string; count: number }>(
		'SELECT subject, count(*)::integer AS count FROM sign_in_attempt WHERE subject = ANY ($1) GROUP BY subject',
		[[`name ${name}`, `address ${address}`]]
	);
	const limitOf = (subject: string) => (subject.startsWith('name') ? ATTEMPTS_PER_NAME : ATTEMPTS_PER_ADDRESS);
	if (counted.rows.some(({ subject, count }) => count >= limitOf(subject)))
		throw new Fault(429, 'too many attempts', 'Too many attempts to sign in. Wait a quarter of an hour and try again.');
	await pool().query('INSERT INTO sign_in_attempt (subject) VALUES ($1), ($2)', [`name ${name}`, `address ${address}`]);
}

const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();
