import { hash, verify } from '@node-rs/argon2';
import { randomBytes } from 'node:crypto';
import { localeAsked } from '../../core';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { countAttempt, forgetAttempts, inTurn } from './attempts';
import { hashOf } from './open';
import { isPermission, type Permission } from './permission';

export interface SignedIn {
	id: number;
	name: string;
	email: string;
	title: string;
	locale: string;
	theme: 'paper' | 'night';
	permissions: Permission[];
	/** Those of the permissions that they have in every model. */
	everywhere?: Permission[];
	/** Whether they may read a part only of the model they work in. */
	readsPart?: boolean;
}

export const SESSION_DAYS = 14;

/** Verified when no such person exists, so that the answer takes as long either way. */
let decoy: Promise<string> | undefined;

/**
 * Opens a session.
 * @param address the client's network address, for the rate limit
 * @param browser the token this browser keeps from an earlier time
 * @param acceptLanguage what the browser asks for: how numbers and dates are written until the person chooses
 * @returns the token for the cookie
 * @throws Fault 429 after too many attempts, 401 when name or password is wrong (not said which)
 */
export async function signIn(email: string, password: string, address: string, acceptLanguage = '', browser?: string): Promise<string> {
	const name = email.trim().toLowerCase();
	return inTurn(address, async () => {
		const known = await knownBrowser(name, browser);
		const attempt = await countAttempt(name, address, known);
		const person = await verifiedPerson(name, password);
		await forgetAttempts(attempt, name, address);
		const locale = localeAsked(acceptLanguage);
		if (locale) await pool().query('UPDATE person SET locale = $2 WHERE id = $1 AND NOT locale_chosen', [person, locale]);
		const token = randomBytes(32).toString('base64url');
		await pool().query('INSERT INTO session (token_hash, person_id, expires_at) VALUES ($1, $2, now() + make_interval(days => $3))', [
			hashOf(token),
			person,
			SESSION_DAYS
		]);
		return token;
	});
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

/** What a browser is called, if this person has signed in with it before. @param browser the token it keeps */
async function knownBrowser(name: string, browser: string | undefined): Promise<string | undefined> {
	if (!browser) return undefined;
	const hash = hashOf(browser);
	const found = await pool().query(
		'UPDATE known_browser b SET seen_at = now() FROM person p WHERE p.id = b.person_id AND lower(p.email) = $2 AND b.token_hash = $1',
		[hash, name]
	);
	return found.rowCount ? hash.toString('hex') : undefined;
}

/** Browsers that were not seen for this long are forgotten. */
const BROWSER_DAYS = 180;

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

/** A person as stored, with everything they hold: in one model (id), or in all where none is named. */
interface StoredPerson extends Omit<SignedIn, 'permissions' | 'readsPart'> {
	held: { permission: string; model: number | null }[];
	/** Models (ids) of which they read a part only. */
	parts: number[];
}

/**
 * What is left to who reads a part of a model: forms show what they may read. The other areas show all of a model, or work
 * on all of it, and are closed to them there.
 */
const FOR_READERS_OF_A_PART = new Set<Permission>(['form.read', 'form.enter', 'rule.run', 'access.read', 'access.write']);

/** Whether `p` has a grant in the model of `d` that keeps them out, or one for all of what it guards; as `readsEverything` of the core. */
const HELD_BY = (what: 'none' | 'whole'): string => `EXISTS (SELECT FROM access_grant g WHERE g.model_id = d.model_id
	AND (g.person_id = p.id OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = p.id))
	AND ${
		what === 'none'
			? "g.level = 'none'"
			: `g.level <> 'none' AND NOT EXISTS (SELECT FROM access_grant_member gm JOIN member m ON m.id = gm.member_id
				JOIN guarded_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = d.model_id WHERE gm.grant_id = g.id)`
	})`;

const PERSON = `SELECT p.id, p.name, p.email, p.title, p.locale, p.theme,
		coalesce((SELECT json_agg(DISTINCT jsonb_build_object('permission', rp.permission, 'model', g.model_id))
			FROM role_given g JOIN role_permission rp ON rp.role_id = g.role_id
			WHERE g.person_id = p.id OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = p.id)), '[]') AS held,
		coalesce((SELECT array_agg(DISTINCT d.model_id) FROM guarded_dimension d WHERE ${HELD_BY('none')} OR NOT ${HELD_BY('whole')}), '{}') AS parts
	FROM person p`;

/** A person who has been recognised, before it is known in which model they work. */
export class KnownPerson {
	readonly #stored: StoredPerson;

	constructor(stored: StoredPerson) {
		this.#stored = stored;
	}

	/** Whether there is anything they may do in a model: of the others they learn nothing. */
	mayEnter(modelId: number): boolean {
		return this.#stored.held.some(({ model }) => model === null || model === modelId);
	}

	/** With what they may do in a model; outside of any where none is named. */
	in(modelId: number | null): SignedIn {
		const { held, parts, ...person } = this.#stored;
		const readsPart = modelId !== null && parts.includes(modelId);
		const here = held.flatMap(({ permission, model }) =>
			isPermission(permission) && (model === null || model === modelId) && (!readsPart || FOR_READERS_OF_A_PART.has(permission))
				? [permission]
				: []
		);
		const everywhere = held.flatMap(({ permission, model }) => (isPermission(permission) && model === null ? [permission] : []));
		return { ...person, permissions: [...new Set(here)], everywhere, readsPart };
	}
}

/** The person a token belongs to, undefined when it is unknown or has expired. */
export async function readSession(token: string): Promise<KnownPerson | undefined> {
	const found = await pool().query<StoredPerson>(
		`${PERSON} JOIN session s ON s.person_id = p.id WHERE p.active AND s.token_hash = $1 AND s.expires_at > now()`,
		[hashOf(token)]
	);
	return found.rows[0] && new KnownPerson(found.rows[0]);
}

/**
 * A person with today's rights in a model, for work in their name while they are away. Persons are made here and nowhere else.
 * @param id null for one that is gone
 * @throws Fault when they are gone or not active
 */
export async function personById(id: number | null, modelId: number): Promise<SignedIn> {
	const found = await pool().query<StoredPerson>(`${PERSON} WHERE p.active AND p.id = $1`, [id]);
	if (!found.rows[0]) throw notFound('person');
	return new KnownPerson(found.rows[0]).in(modelId);
}

/** The same by e-mail address. */
export async function personByEmail(email: string, modelId: number): Promise<SignedIn> {
	const found = await pool().query<{ id: number }>('SELECT id FROM person WHERE lower(email) = lower($1)', [email.trim()]);
	return personById(found.rows[0]?.id ?? 0, modelId);
}

/** Ends a session; sessions that have expired go with it. */
export async function forgetSession(token: string): Promise<void> {
	await pool().query('DELETE FROM session WHERE token_hash = $1 OR expires_at < now()', [hashOf(token)]);
}
