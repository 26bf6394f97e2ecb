/** The second factor: a code by the time of day (RFC 6238) from something one has, or one of ten kept for the day it is lost. */
import { randomBytes } from 'node:crypto';
import { Secret, TOTP } from 'otpauth';
import { toString as toQr } from 'qrcode';
import { pool, transaction, type Database } from '../database';
import { Fault, notSignedIn } from '../fault';
import { seal, unseal } from '../secrets';
import { countAttempt, forgetAttempts } from './attempts';
import { hashOf } from './open';
import type { SignedIn } from './person';

const ISSUER = 'Noble Lattice';
const STEP_MINUTES = 10;
/** Spans of half a minute that a clock may be off, to either side. */
const WINDOW = 1;
const RECOVERY_CODES = 10;

const totp = (secret: string, label = ''): TOTP => new TOTP({ issuer: ISSUER, label, secret: Secret.fromBase32(secret) });
const wrongCode = () => new Fault(401, 'wrong code', 'This code is not right, or was used already. Wait for the next one and try again.');

/** Whether somebody has a second factor that was confirmed. */
export async function hasSecondFactor(person: number, database: Database = pool()): Promise<boolean> {
	const found = await database.query('SELECT FROM second_factor WHERE person_id = $1 AND confirmed_at IS NOT NULL', [person]);
	return (found.rowCount ?? 0) > 0;
}

/** After a password that was right: what to go on from, where a code is wanted; undefined where none is. */
export async function codeAsked(person: number): Promise<string | undefined> {
	if (!(await hasSecondFactor(person))) return undefined;
	const step = randomBytes(32).toString('base64url');
	await pool().query('DELETE FROM sign_in_step WHERE expires_at < now()');
	await pool().query('INSERT INTO sign_in_step (token_hash, person_id, expires_at) VALUES ($1, $2, now() + make_interval(mins => $3))', [
		hashOf(step),
		person,
		STEP_MINUTES
	]);
	return step;
}

/**
 * Takes the code that follows a password; the step ends with a right one.
 * @returns whose it was
 * @throws Fault 401, 429 after too many
 */
export async function takeCode(step: string, code: string, address: string): Promise<number> {
	const found = await pool().query<{ person: number }>(
		'SELECT s.person_id AS person FROM sign_in_step s JOIN person p ON p.id = s.person_id WHERE p.active AND s.token_hash = $1 AND s.expires_at > now()',
		[hashOf(step)]
	);
	const person = found.rows[0]?.person;
	if (person === undefined) throw new Fault(401, 'step over', 'This took too long. Sign in with your password again.');
	await requireCode(person, code, address);
	const used = await pool().query('DELETE FROM sign_in_step WHERE token_hash = $1', [hashOf(step)]);
	if (used.rowCount === 0) throw wrongCode();
	return person;
}

/** A code of somebody's second factor, or one of their recovery codes, which is used up. @throws Fault 401, 429 */
async function requireCode(person: number, code: string, address: string): Promise<void> {
	const subject = `code ${person}`;
	const attempt = await countAttempt(subject, address, undefined);
	const typed = code.replace(/[\s-]/g, '').toLowerCase();
	const good = /^\d{6}$/.test(typed) ? await takeTimeCode(person, typed, true) : await takeRecoveryCode(person, typed);
	if (!good) throw wrongCode();
	await forgetAttempts(attempt, subject, address);
}

/** Whether a code is right now and its span of time has not been used; it is used with it. */
async function takeTimeCode(person: number, code: string, confirmed: boolean): Promise<boolean> {
	const found = await pool().query<{ secret: string }>(
		'SELECT secret FROM second_factor WHERE person_id = $1 AND (confirmed_at IS NOT NULL) = $2',
		[person, confirmed]
	);
	if (!found.rows[0]) return false;
	const delta = totp(unseal(found.rows[0].secret)).validate({ token: code, window: WINDOW });
	if (delta === null) return false;
	const span = Math.floor(Date.now() / 30_000) + delta;
	// Of two at once, or of one that was looked at over a shoulder, the first has it.
	const taken = await pool().query(
		'UPDATE second_factor SET last_step = $2, confirmed_at = coalesce(confirmed_at, now()) WHERE person_id = $1 AND last_step < $2',
		[person, span]
	);
	return taken.rowCount === 1;
}

async function takeRecoveryCode(person: number, code: string): Promise<boolean> {
	const used = await pool().query('DELETE FROM recovery_code WHERE person_id = $1 AND code_hash = $2', [person, hashOf(code)]);
	return used.rowCount === 1;
}

/** Begins to set up a second factor; it holds once its first code was right. @returns what to read into an application that makes codes */
export async function beginFactor(person: SignedIn | undefined): Promise<{ address: string; secret: string; picture: string }> {
	if (!person) throw notSignedIn();
	if (await hasSecondFactor(person.id)) throw new Fault(409, 'is set', 'You have a second factor. Take it off before you set up another.');
	const secret = new Secret({ size: 20 }).base32;
	await pool().query(
		'INSERT INTO second_factor (person_id, secret) VALUES ($1, $2) ON CONFLICT (person_id) DO UPDATE SET secret = excluded.secret, last_step = 0 WHERE second_factor.confirmed_at IS NULL',
		[person.id, seal(secret)]
	);
	const address = totp(secret, person.email).toString();
	return { address, secret: secret.replace(/(.{4})(?=.)/g, '$1 '), picture: await toQr(address, { type: 'svg', margin: 1 }) };
}

/** The first code: from now on one is wanted after the password. @returns codes for the day the thing is lost, shown once @throws Fault 401 */
export async function confirmFactor(person: SignedIn | undefined, code: string, address: string): Promise<{ codes: string[] }> {
	if (!person) throw notSignedIn();
	const attempt = await countAttempt(`factor ${person.id}`, address, undefined);
	if (!(await takeTimeCode(person.id, code.replace(/\s/g, ''), false))) throw wrongCode();
	await forgetAttempts(attempt, `factor ${person.id}`, address);
	return { codes: await newCodes(person.id) };
}

async function newCodes(person: number): Promise<string[]> {
	const codes = Array.from({ length: RECOVERY_CODES }, () => randomBytes(5).toString('hex'));
	await transaction(async (client) => {
		await client.query('DELETE FROM recovery_code WHERE person_id = $1', [person]);
		await client.query('INSERT INTO recovery_code (person_id, code_hash) SELECT $1, unnest($2::bytea[])', [person, codes.map(hashOf)]);
	});
	return codes.map((code) => `${code.slice(0, 5)}-${code.slice(5)}`);
}

/** Recovery codes anew, for a code; the earlier ones end. @throws Fault 401 */
export async function renewCodes(person: SignedIn | undefined, code: string, address: string): Promise<{ codes: string[] }> {
	if (!person) throw notSignedIn();
	await requireCode(person.id, code, address);
	return { codes: await newCodes(person.id) };
}

/** Takes one's second factor off, for a code. @throws Fault 401 */
export async function dropFactor(person: SignedIn | undefined, code: string, address: string): Promise<void> {
	if (!person) throw notSignedIn();
	await requireCode(person.id, code, address);
	await forgetFactor(person.id);
}

/** Takes somebody's second factor off: who has lost it and their codes. */
export async function forgetFactor(person: number, database: Database = pool()): Promise<void> {
	await database.query('DELETE FROM second_factor WHERE person_id = $1', [person]);
	await database.query('DELETE FROM recovery_code WHERE person_id = $1', [person]);
}

/** Whether one has a second factor, and how many recovery codes are left. */
export async function ownFactor(person: SignedIn | undefined): Promise<{ set: boolean; codes: number }> {
	if (!person) throw notSignedIn();
	const left = await pool().query<{ codes: number }>('SELECT count(*)::integer AS codes FROM recovery_code WHERE person_id = $1', [
		person.id
	]);
	return { set: await hasSecondFactor(person.id), codes: left.rows[0]!.codes };
}
