import { hash, verify } from '@node-rs/argon2';
import { randomBytes } from 'node:crypto';
import { pool, transaction, type Database } from '../database';
import { Fault, notFound, notSignedIn } from '../fault';
import { countAttempt } from './attempts';
import { hashOf, SESSION_HOLDS } from './open';
import { idleHours, passwordsAllowed } from './policy';
import { requireGoodPassword } from './password-rules';
import type { SignedIn } from './person';

const HOURS = { invitation: 14 * 24, reset: 2 };

/** Writes somebody a letter with a link by which they set a password; earlier links of theirs end. */
export async function sendPasswordLink(database: Database, person: number, purpose: 'invitation' | 'reset', origin: string): Promise<void> {
	const found = await database.query<{ name: string; email: string }>('SELECT name, email FROM person WHERE id = $1 AND active', [person]);
	const to = found.rows[0];
	if (!to) return;
	const token = randomBytes(32).toString('base64url');
	await database.query('DELETE FROM password_link WHERE person_id = $1 OR expires_at < now()', [person]);
	await database.query(
		'INSERT INTO password_link (token_hash, person_id, purpose, expires_at) VALUES ($1, $2, $3, now() + make_interval(hours => $4))',
		[hashOf(token), person, purpose, HOURS[purpose]]
	);
	const [subject, why] =
		purpose === 'invitation'
			? ['You are invited to Noble Lattice', 'you can work in Noble Lattice. Set a password to begin; the link holds for two weeks.']
			: [
					'A new password for Noble Lattice',
					'somebody, you we hope, asked for a new password. The link holds for two hours; leave it if it was not you.'
				];
	await database.query('INSERT INTO outbox (address, subject, body) VALUES ($1, $2, $3)', [
		to.email,
		subject,
		`${to.name},\n\n${why}\n\n${origin}/password/${token}\n`
	]);
}

/** Somebody says that they have forgotten their password. What is answered is the same whether they are known or not. */
export async function askForReset(email: string, address: string, origin: string): Promise<void> {
	const name = email.trim().toLowerCase();
	if (!passwordsAllowed()) return;
	// Counted like an attempt to sign in: nobody fills somebody else's box.
	await countAttempt(`reset ${name}`, address, undefined);
	const found = await pool().query<{ id: number }>('SELECT id FROM person WHERE lower(email) = $1 AND active', [name]);
	if (found.rows[0]) await sendPasswordLink(pool(), found.rows[0].id, 'reset', origin);
}

interface LinkOwner {
	id: number;
	email: string;
	name: string;
}

/** Whose link it is; undefined when it was used, has run out or never was. */
export async function ownerOfLink(token: string, database: Database = pool()): Promise<LinkOwner | undefined> {
	const found = await database.query<LinkOwner>(
		'SELECT p.id, p.email, p.name FROM password_link l JOIN person p ON p.id = l.person_id WHERE l.token_hash = $1 AND l.expires_at > now() AND p.active',
		[hashOf(token)]
	);
	return found.rows[0];
}

/**
 * Sets a password by a link, which ends with it, as do all sessions of the person.
 * @returns their e-mail address, to sign in with
 * @throws Fault 404 for a link that holds no more, 422 for a password that is no good
 */
export async function setPasswordByLink(token: string, password: string): Promise<string> {
	const before = await ownerOfLink(token);
	if (before) requireGoodPassword(password, before);
	const hashed = await hash(password);
	return transaction(async (client) => {
		const owner = await ownerOfLink(token, client);
		const used = await client.query('DELETE FROM password_link WHERE token_hash = $1', [hashOf(token)]);
		// Of two at once one has it.
		if (!owner || used.rowCount === 0)
			throw new Fault(404, 'link used', 'This link holds no more: it was used, or its time is over. Ask for another one.');
		await client.query('UPDATE person SET password_hash = $2 WHERE id = $1', [owner.id, hashed]);
		await client.query('DELETE FROM session WHERE person_id = $1', [owner.id]);
		return owner.email;
	});
}

/**
 * Changes one's own password; all other sessions of the person end.
 * @param token of the session one works in
 * @throws Fault 401 where the present one is wrong, 422 where the new one is no good
 */
export async function changePassword(
	person: SignedIn | undefined,
	token: string | undefined,
	{ present, next, address }: { present: string; next: string; address: string }
): Promise<void> {
	if (!person || !token) throw notSignedIn();
	await countAttempt(`change ${person.id}`, address, undefined);
	const found = await pool().query<{ hash: string | null }>('SELECT password_hash AS hash FROM person WHERE id = $1', [person.id]);
	const stored = found.rows[0]?.hash;
	if (!stored || !(await verify(stored, present)))
		throw new Fault(422, 'wrong password', 'The present password is not right. Nothing was changed.');
	requireGoodPassword(next, person);
	const hashed = await hash(next);
	await transaction(async (client) => {
		await client.query('UPDATE person SET password_hash = $2 WHERE id = $1', [person.id, hashed]);
		await client.query('DELETE FROM session WHERE person_id = $1 AND token_hash <> $2', [person.id, hashOf(token)]);
		await client.query('DELETE FROM password_link WHERE person_id = $1', [person.id]);
	});
}

export interface OwnSession {
	/** Names it, to end it by. */
	id: string;
	since: string;
	/** When it was used last. */
	seen: string;
	/** Where from: a network address, and the browser in words. */
	address: string;
	browser: string;
	/** Whether it is the one that asks. */
	here: boolean;
}

/** One's own sessions, the latest first. */
export async function ownSessions(person: SignedIn | undefined, token: string | undefined): Promise<OwnSession[]> {
	if (!person || !token) throw notSignedIn();
	const found = await pool().query<Omit<OwnSession, 'since' | 'seen'> & { since: Date; seen: Date }>(
		`SELECT encode(substring(s.token_hash FOR 12), 'hex') AS id, s.created_at AS since, s.seen_at AS seen, s.address, s.browser, s.token_hash = $2 AS here
		FROM session s WHERE s.person_id = $1 AND ${SESSION_HOLDS('$3')} ORDER BY s.created_at DESC`,
		[person.id, hashOf(token), idleHours()]
	);
	return found.rows.map(({ since, seen, ...session }) => ({ ...session, since: since.toISOString(), seen: seen.toISOString() }));
}

/** Ends one of one's sessions. @param id as `ownSessions` names it @throws Fault 404 */
export async function endSession(person: SignedIn | undefined, id: string): Promise<void> {
	if (!person) throw notSignedIn();
	const ended = await pool().query("DELETE FROM session WHERE person_id = $1 AND encode(substring(token_hash FOR 12), 'hex') = $2", [
		person.id,
		id
	]);
	if (ended.rowCount === 0) throw notFound('session');
}

/** Ends one's other sessions. */
export async function endOtherSessions(person: SignedIn | undefined, token: string | undefined): Promise<void> {
	if (!person || !token) throw notSignedIn();
	await pool().query('DELETE FROM session WHERE person_id = $1 AND token_hash <> $2', [person.id, hashOf(token)]);
}
