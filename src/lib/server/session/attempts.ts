/**
 * How often a name may be tried. Every attempt counts from before its password is looked at, so that many at once are counted
 * too; one that was right does not count after it. A browser somebody has signed in with before is counted by itself: nobody
 * can keep somebody else out by trying their name.
 */
import { pool } from '../database';
import { Fault } from '../fault';

/** Within a quarter of an hour: of one name from one address, of one name from everywhere, of all names from one address. */
const MOST = { browser: 8, pair: 8, name: 100, address: 40 };
const WINDOW = "interval '15 minutes'";

/** Passwords of one address that are looked at side by side; the others wait their turn, up to so many. */
const AT_ONCE = 8;
const MOST_WAITING = 500;

const tooMany = () => new Fault(429, 'too many attempts', 'Too many attempts to sign in. Wait a quarter of an hour and try again.');

interface Turns {
	running: number;
	waiting: (() => void)[];
}
const turns = new Map<string, Turns>();

/** Lets an address try as often as it likes, a few at a time. @throws Fault 429 when far too many wait */
export async function inTurn<Result>(address: string, work: () => Promise<Result>): Promise<Result> {
	const own = turns.get(address) ?? { running: 0, waiting: [] };
	turns.set(address, own);
	if (own.running >= AT_ONCE) {
		if (own.waiting.length >= MOST_WAITING) throw tooMany();
		await new Promise<void>((go) => own.waiting.push(go));
	} else own.running++;
	try {
		return await work();
	} finally {
		const next = own.waiting.shift();
		// The turn is handed on, or ends.
		if (next) next();
		else if (--own.running === 0) turns.delete(address);
	}
}

/**
 * Counts an attempt before it is tried.
 * @param browser what a browser that is known is called, undefined of any other
 * @returns its numbers, for `forgetAttempts`
 * @throws Fault 429
 */
export async function countAttempt(name: string, address: string, browser: string | undefined): Promise<number[]> {
	const limits: [subject: string, most: number][] = browser
		? [[`browser ${browser}`, MOST.browser]]
		: [
				[`pair ${name} ${address}`, MOST.pair],
				[`name ${name}`, MOST.name],
				[`address ${address}`, MOST.address]
			];
	const subjects = limits.map(([subject]) => subject);
	await pool().query(`DELETE FROM sign_in_attempt WHERE at < now() - ${WINDOW}`);
	const counted = await pool().query<{ id: number }>('INSERT INTO sign_in_attempt (subject) SELECT unnest($1::text[]) RETURNING id', [
		subjects
	]);
	// Counted after one's own is there: of several at once each sees the others.
	const found = await pool().query<{ subject: string; count: number }>(
		`SELECT subject, count(*)::integer AS count FROM sign_in_attempt WHERE subject = ANY ($1) AND at >= now() - ${WINDOW} GROUP BY subject`,
		[subjects]
	);
	const ids = counted.rows.map(({ id }) => id);
	if (found.rows.some(({ subject, count }) => count > new Map(limits).get(subject)!)) {
		// What is refused was not tried: the wait does not grow by knocking.
		await pool().query('DELETE FROM sign_in_attempt WHERE id = ANY ($1::bigint[])', [ids]);
		throw tooMany();
	}
	return ids;
}

/** Takes an attempt out of the count, as it was right, and those before it under the same name from the same place. */
export async function forgetAttempts(ids: readonly number[], name: string, address: string): Promise<void> {
	await pool().query('DELETE FROM sign_in_attempt WHERE id = ANY ($1::bigint[]) OR subject = $2', [ids, `pair ${name} ${address}`]);
}
