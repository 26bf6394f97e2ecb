/** What people are told of their units, and the letters that become of it. */
import nodemailer from 'nodemailer';
import { z } from 'zod';
import type { Database } from '../database';
import { pool, transaction } from '../database';
import { doEveryMinute } from '../jobs';
import { log } from '../log';
import { notSignedIn } from '../fault';
import { requirePermission, type SignedIn } from '../session';

export type MessageKind = 'start' | 'due' | 'late' | 'submitted' | 'returned' | 'approved' | 'reopened' | 'mention' | 'board';

export interface MessageToSend {
	person: number;
	unit: number;
	kind: MessageKind;
	subject: string;
	body: string;
}

/** Notes messages, within the caller's transaction; letters follow. */
export async function tell(database: Database, modelId: number, messages: readonly MessageToSend[]): Promise<void> {
	if (messages.length === 0) return;
	await database.query(
		`INSERT INTO message (person_id, model_id, unit_id, kind, subject, body, path)
		SELECT x.person, $1, x.unit, x.kind, x.subject, x.body, '/cycle/' || u.round_id || '?unit=' || u.id
		FROM jsonb_to_recordset($2::jsonb) AS x (person integer, unit integer, kind text, subject text, body text) JOIN cycle_unit u ON u.id = x.unit`,
		[modelId, JSON.stringify(messages)]
	);
}

/** Owners are told once that their units of a round are theirs to fill. */
export async function tellOwners(database: Database, modelId: number, round: number): Promise<void> {
	await database.query(
		`INSERT INTO message (person_id, model_id, unit_id, kind, subject, body, path)
		SELECT u.owner_id, $1, min(u.id), 'start', r.name || ': ' || count(*) || CASE count(*) WHEN 1 THEN ' unit' ELSE ' units' END || ' to fill',
			'Yours: ' || string_agg(coalesce((SELECT a.name || ', ' FROM cycle_unit a WHERE a.id = u.parent_id AND cardinality(u.members) > 1), '') || u.name, '; ' ORDER BY u.position) || '.' || coalesce(' The first is due on ' || to_char(min(u.due), 'FMDD FMMonth YYYY') || '.', ''),
			'/cycle/' || r.id
		FROM cycle_unit u JOIN round r ON r.id = u.round_id WHERE r.id = $2 AND u.owner_id IS NOT NULL GROUP BY u.owner_id, r.id`,
		[modelId, round]
	);
}

/** Owners are reminded before a day and told when it has passed, once each. @returns how many were told */
export async function tellDue(): Promise<number> {
	return transaction(async (client) => {
		const found = await client.query<{
			unit: number;
			model: number;
			owner: number;
			name: string;
			round: string;
			due: string;
			late: boolean;
		}>(
			`WITH due AS (
				SELECT u.id FROM cycle_unit u JOIN round r ON r.id = u.round_id AND r.state = 'running'
				WHERE u.state IN ('not started', 'in progress', 'returned') AND u.owner_id IS NOT NULL AND u.due IS NOT NULL
					AND ((u.due < current_date AND NOT u.told_late) OR (NOT u.reminded AND u.due >= current_date AND u.due <= current_date + (r.settings ->> 'remind')::integer))
				FOR UPDATE OF u SKIP LOCKED)
			UPDATE cycle_unit u SET reminded = true, told_late = u.due < current_date FROM due, round r WHERE u.id = due.id AND r.id = u.round_id
			RETURNING u.id AS unit, r.model_id AS model, u.owner_id AS owner,
				coalesce((SELECT a.name || ', ' FROM cycle_unit a WHERE a.id = u.parent_id AND cardinality(u.members) > 1), '') || u.name AS name, r.name AS round, to_char(u.due, 'FMDD FMMonth YYYY') AS due, u.due < current_date AS late`
		);
		for (const { unit, model, owner, name, round, due, late } of found.rows)
			await tell(client, model, [
				{
					person: owner,
					unit,
					kind: late ? 'late' : 'due',
					subject: `${round}: ${name} ${late ? 'is late' : `is due on ${due}`}`,
					body: late ? `It was due on ${due}.` : 'It is not submitted yet.'
				}
			]);
		return found.rows.length;
	});
}

/** The hour from which on the letters of the day are written. */
const MORNING = 7;

/**
 * Messages become letters: at once, or one a day with all that came before its morning, as each person chose. Whenever it is
 * asked: a server that was away in the morning writes them when it is back.
 */
export async function writeLetters(now = new Date()): Promise<number> {
	const morning = new Date(now);
	morning.setHours(MORNING, 0, 0, 0);
	if (morning > now) morning.setDate(morning.getDate() - 1);
	return transaction(async (client) => {
		const found = await client.query<{ person: number; address: string; told: string; subject: string; body: string; id: number }>(
			`SELECT m.id, m.person_id AS person, p.email AS address, p.told, m.subject, m.body FROM message m JOIN person p ON p.id = m.person_id
			WHERE m.mailed_at IS NULL AND (p.told <> 'daily' OR m.at < $1) ORDER BY m.person_id, m.id FOR UPDATE OF m SKIP LOCKED`,
			[morning]
		);
		const ids = found.rows.map(({ id }) => id);
		await client.query('UPDATE message SET mailed_at = now() WHERE id = ANY ($1)', [ids]);
		const daily = new Map<string, typeof found.rows>();
		let letters = 0;
		const write = async (address: string, subject: string, body: string, messages: number[]) => {
			letters++;
			await client.query('INSERT INTO outbox (address, subject, body, messages) VALUES ($1, $2, $3, $4)', [
				address,
				subject,
				body,
				messages
			]);
		};
		for (const row of found.rows) {
			if (row.told === 'daily') daily.set(row.address, [...(daily.get(row.address) ?? []), row]);
			else if (row.told === 'at once') await write(row.address, row.subject, row.body, [row.id]);
		}
		for (const [address, rows] of daily)
			await write(
				address,
				`Planning: ${rows.length} ${rows.length === 1 ? 'message' : 'messages'}`,
				rows.map(({ subject, body }) => `${subject}\n${body}`).join('\n\n'),
				rows.map(({ id }) => id)
			);
		return letters;
	});
}

/** Sends letters by SMTP where SMTP_URL names a server; where it does not, they stay to be looked at. */
export async function sendLetters(): Promise<number> {
	const server = process.env.SMTP_URL;
	if (!server) return 0;
	const transport = nodemailer.createTransport(server);
	const waiting = await pool().query<{ id: number; address: string; subject: string; body: string; messages: number[] }>(
		"SELECT id, address, subject, body, messages FROM outbox WHERE sent_at IS NULL AND failed = '' AND at > now() - interval '2 days' ORDER BY id LIMIT 50"
	);
	let sent = 0;
	for (const { id, address, subject, body, messages } of waiting.rows) {
		// Taken by one server alone.
		const taken = await pool().query('UPDATE outbox SET sent_at = now() WHERE id = $1 AND sent_at IS NULL', [id]);
		if (taken.rowCount === 0) continue;
		try {
			const files = await pool().query<{ filename: string; content: Buffer }>(
				'SELECT name AS filename, bytes AS content FROM message_file WHERE message_id = ANY ($1) ORDER BY id LIMIT 20',
				[messages]
			);
			await transport.sendMail({
				from: process.env.SMTP_FROM ?? 'noble-lattice@localhost',
				to: address,
				subject,
				text: body,
				attachments: files.rows
			});
			sent++;
		} catch (error) {
			log.warn({ err: error, letter: id }, 'a letter was not sent');
			await pool().query('UPDATE outbox SET sent_at = NULL, failed = $2 WHERE id = $1', [id, 'The mail server did not take it.']);
		}
	}
	transport.close();
	return sent;
}

doEveryMinute(async () => {
	await tellDue();
	await writeLetters();
	await sendLetters();
});

export interface Message {
	id: number;
	at: string;
	kind: MessageKind;
	subject: string;
	body: string;
	path: string;
	isRead: boolean;
	/** What comes with it: a board on paper. */
	files: { id: number; name: string }[];
}

/** One's own messages in a model, the latest first. */
export async function readMessages(person: SignedIn | undefined, modelId: number): Promise<Message[]> {
	if (!person) throw notSignedIn();
	const found = await pool().query<Omit<Message, 'at'> & { at: Date }>(
		`SELECT m.id, m.at, m.kind, m.subject, m.body, m.path, m.read_at IS NOT NULL AS "isRead",
			coalesce((SELECT json_agg(json_build_object('id', f.id, 'name', f.name) ORDER BY f.id) FROM message_file f WHERE f.message_id = m.id), '[]') AS files
		FROM message m WHERE m.person_id = $1 AND m.model_id = $2 ORDER BY m.id DESC LIMIT 100`,
		[person.id, modelId]
	);
	return found.rows.map((message) => ({ ...message, at: message.at.toISOString() }));
}

export const toldSchema = z.object({ told: z.enum(['at once', 'daily', 'never']) });

/** How one is told by mail. */
export async function chooseTold(person: SignedIn | undefined, { told }: z.infer<typeof toldSchema>): Promise<void> {
	if (!person) throw notSignedIn();
	await pool().query('UPDATE person SET told = $2 WHERE id = $1', [person.id, told]);
}

export async function readTold(person: SignedIn | undefined): Promise<'at once' | 'daily' | 'never'> {
	if (!person) throw notSignedIn();
	const found = await pool().query<{ told: 'at once' }>('SELECT told FROM person WHERE id = $1', [person.id]);
	return found.rows[0]!.told;
}

/** Messages of a model to everybody, and the letters they became: for who leads rounds. */
export async function readAllMessages(
	person: SignedIn | undefined,
	modelId: number
): Promise<(Message & { to: string; mailedAt: string | null })[]> {
	requirePermission(person, 'cycle.write');
	const found = await pool().query<Omit<Message, 'at'> & { at: Date; to: string; mailedAt: Date | null }>(
		`SELECT m.id, m.at, m.kind, m.subject, m.body, m.path, m.read_at IS NOT NULL AS "isRead", p.name AS "to", m.mailed_at AS "mailedAt",
			coalesce((SELECT json_agg(json_build_object('id', f.id, 'name', f.name) ORDER BY f.id) FROM message_file f WHERE f.message_id = m.id), '[]') AS files
		FROM message m JOIN person p ON p.id = m.person_id WHERE m.model_id = $1 ORDER BY m.id DESC LIMIT 200`,
		[modelId]
	);
	return found.rows.map((message) => ({ ...message, at: message.at.toISOString(), mailedAt: message.mailedAt?.toISOString() ?? null }));
}
