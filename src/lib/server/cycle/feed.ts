/** Due dates as an iCalendar feed, behind a key of the person’s own. */
import ical from 'ical-generator';
import { createHash, randomBytes } from 'node:crypto';
import { pool } from '../database';
import { notFound, notSignedIn } from '../fault';
import type { SignedIn } from '../session';

const hashOf = (key: string): Buffer => createHash('sha256').update(key).digest();

/** A new key for a person’s feed; the one before ends. Shown once. */
export async function makeFeedKey(person: SignedIn | undefined): Promise<{ key: string }> {
	if (!person) throw notSignedIn();
	const key = randomBytes(24).toString('base64url');
	await pool().query('UPDATE person SET feed_key_hash = $2 WHERE id = $1', [person.id, hashOf(key)]);
	return { key };
}

/** What is due for whoever a key belongs to, in every model. @throws Fault 404 where the key is none */
export async function feedOf(key: string, origin: string): Promise<string> {
	const found = await pool().query<{ id: number }>('SELECT id FROM person WHERE feed_key_hash = $1 AND active', [hashOf(key)]);
	const person = found.rows[0];
	if (!person) throw notFound('calendar');
	const units = await pool().query<{
		id: number;
		round: number;
		code: string;
		name: string;
		roundName: string;
		due: string;
		state: string;
		reviews: boolean;
	}>(
		`SELECT DISTINCT u.id, r.id AS round, m.code,
			coalesce((SELECT a.name || ', ' FROM cycle_unit a WHERE a.id = u.parent_id AND cardinality(u.members) > 1), '') || u.name AS name, r.name AS "roundName", u.due::text AS due, u.state, u.owner_id IS DISTINCT FROM $1 AS reviews
		FROM cycle_unit u JOIN round r ON r.id = u.round_id AND r.state = 'running' JOIN model m ON m.id = r.model_id
		LEFT JOIN unit_reviewer v ON v.unit_id = u.id AND v.person_id = $1 WHERE u.due IS NOT NULL AND u.state <> 'approved' AND (u.owner_id = $1 OR v.person_id IS NOT NULL)
		ORDER BY due, u.id LIMIT 2000`,
		[person.id]
	);
	const calendar = ical({ name: 'Planning', prodId: { company: 'Noble Lattice', product: 'Planning', language: 'EN' } });
	for (const { id, round, code, name, roundName, due, state, reviews } of units.rows)
		calendar.createEvent({
			id: `unit-${id}@noble-lattice`,
			start: new Date(`${due}T00:00:00Z`),
			allDay: true,
			timezone: 'UTC',
			summary: `${roundName}: ${name} ${reviews ? 'to review' : 'due'}`,
			description: `It is ${state}.`,
			url: `${origin}/m/${encodeURIComponent(code)}/cycle/${round}?unit=${id}`
		});
	return calendar.toString();
}
