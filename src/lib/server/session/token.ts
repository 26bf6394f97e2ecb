/** Access tokens: what programs sign in with, in somebody's name, for some purposes, until a day. */
import { randomBytes } from 'node:crypto';
import { z } from 'zod';
import { pool } from '../database';
import { Fault, notFound } from '../fault';
import { hashOf } from './open';
import { requirePermission, type Permission } from './permission';
import { KnownPerson, PERSON_COLUMNS, type SignedIn, type StoredPerson } from './person';

/** What a token may be for, in plain words, and the permissions of its owner that it keeps. */
export const SCOPES = {
	read: { words: 'read figures and the members they stand at', permissions: ['form.read'] },
	load: { words: 'load files through saved imports', permissions: ['data.read', 'data.load'] },
	run: { words: 'start runbooks and look at what they did', permissions: ['rule.read', 'rule.run'] },
	people: { words: 'take people and groups over from a directory', permissions: ['access.read', 'access.write'] }
} as const satisfies Record<string, { words: string; permissions: readonly Permission[] }>;
export type Scope = keyof typeof SCOPES;
const SCOPE_NAMES = Object.keys(SCOPES) as Scope[];

/** Tells a token from other secrets, to people and to programs that look for lost ones. */
const MARK = 'nlat_';
const MOST_DAYS = 400;
const MOST_TOKENS = 50;

export const tokenSchema = z.object({
	name: z.string().trim().min(1).max(100),
	scopes: z.array(z.enum(SCOPE_NAMES)).min(1).max(SCOPE_NAMES.length),
	/** In the model one works in only. */
	here: z.boolean(),
	days: z.int().min(1).max(MOST_DAYS)
});

export interface TokenLine {
	id: number;
	name: string;
	person: string;
	mine: boolean;
	model: string | null;
	scopes: Scope[];
	hint: string;
	madeAt: string;
	expiresAt: string;
	usedAt: string | null;
	state: 'holds' | 'ended' | 'run out';
}

/** Makes a token in one's own name. @returns it, shown this once */
export async function makeToken(
	person: SignedIn | undefined,
	modelId: number,
	{ name, scopes, here, days }: z.infer<typeof tokenSchema>
): Promise<{ token: string }> {
	const maker = requirePermission(person, 'access.tokens');
	for (const scope of scopes) {
		const lacks = SCOPES[scope].permissions.find((permission) => !maker.permissions.includes(permission));
		if (lacks) throw new Fault(422, 'not yours', `A token may do no more than you: you may not ${SCOPES[scope].words}.`);
	}
	if (scopes.includes('people') && (here || !maker.everywhere?.includes('access.write')))
		throw new Fault(
			422,
			'not possible',
			'People and groups are of all models: such a token is for every model, and of who gives access in every one.'
		);
	const held = await pool().query<{ count: number }>(
		'SELECT count(*)::integer AS count FROM access_token WHERE person_id = $1 AND ended_at IS NULL AND expires_at > now()',
		[maker.id]
	);
	if (held.rows[0]!.count >= MOST_TOKENS)
		throw new Fault(422, 'too many', `You have ${MOST_TOKENS} tokens. End some that nobody uses first.`);
	const token = MARK + randomBytes(32).toString('base64url');
	await pool().query(
		`WITH made AS (INSERT INTO access_token (person_id, model_id, name, scopes, token_hash, hint, expires_at)
		VALUES ($1, $2, $3, $4, $5, $6, now() + make_interval(days => $7)) RETURNING id, name, expires_at)
		INSERT INTO access_change (person_id, model_id, kind, object_id, name, words, after)
			SELECT $1, $2, 'token', id, name, 'access token made, until ' || expires_at::date, jsonb_build_object('scopes', $4::text[]) FROM made`,
		[maker.id, here ? modelId : null, name, [...new Set(scopes)], hashOf(token), token.slice(0, MARK.length + 4), days]
	);
	return { token };
}

/** One's own tokens; of who gives access in every model everybody's. The latest first. */
export async function readTokens(person: SignedIn | undefined): Promise<TokenLine[]> {
	const reader = requirePermission(person, 'access.tokens');
	const all = reader.everywhere?.includes('access.write') ?? false;
	const found = await pool().query<
		Omit<TokenLine, 'madeAt' | 'expiresAt' | 'usedAt'> & { madeAt: Date; expiresAt: Date; usedAt: Date | null }
	>(
		`SELECT t.id, t.name, p.name AS person, t.person_id = $1 AS mine, m.name AS model, t.scopes, t.hint, t.made_at AS "madeAt",
			t.expires_at AS "expiresAt", t.used_at AS "usedAt",
			CASE WHEN t.ended_at IS NOT NULL THEN 'ended' WHEN t.expires_at <= now() THEN 'run out' ELSE 'holds' END AS state
		FROM access_token t JOIN person p ON p.id = t.person_id LEFT JOIN model m ON m.id = t.model_id
		WHERE $2 OR t.person_id = $1 ORDER BY t.id DESC LIMIT 200`,
		[reader.id, all]
	);
	return found.rows.map(({ madeAt, expiresAt, usedAt, ...line }) => ({
		...line,
		madeAt: madeAt.toISOString(),
		expiresAt: expiresAt.toISOString(),
		usedAt: usedAt?.toISOString() ?? null
	}));
}

/** Ends a token: one's own, or, of who gives access in every model, anybody's. @throws Fault 404 */
export async function endToken(person: SignedIn | undefined, id: number): Promise<void> {
	const writer = requirePermission(person, 'access.tokens');
	const ended = await pool().query(
		`WITH ended AS (UPDATE access_token SET ended_at = now() WHERE id = $1 AND ended_at IS NULL AND ($2 OR person_id = $3) RETURNING id, name, model_id)
		INSERT INTO access_change (person_id, model_id, kind, object_id, name, words) SELECT $3, model_id, 'token', id, name, 'access token ended' FROM ended`,
		[id, writer.everywhere?.includes('access.write') ?? false, writer.id]
	);
	if (ended.rowCount === 0) throw notFound('token');
}

/** Whom a token stands for, with what it is for and no more. */
export interface TokenHolder {
	known: KnownPerson;
	scopes: Scope[];
}

/** @returns undefined for one that is unknown, ended or run out, or whose owner is not active */
export async function readToken(token: string): Promise<TokenHolder | undefined> {
	const found = await pool().query<StoredPerson & { token: number; model: number | null; scopes: string[]; stale: boolean }>(
		`SELECT ${PERSON_COLUMNS}, t.id AS token, t.model_id AS model, t.scopes, coalesce(t.used_at < now() - interval '1 minute', true) AS stale
		FROM access_token t JOIN person p ON p.id = t.person_id
		WHERE p.active AND t.token_hash = $1 AND t.ended_at IS NULL AND t.expires_at > now()`,
		[hashOf(token)]
	);
	const row = found.rows[0];
	if (!row) return undefined;
	if (row.stale) await pool().query('UPDATE access_token SET used_at = now() WHERE id = $1', [row.token]);
	const scopes = row.scopes.filter((scope): scope is Scope => Object.hasOwn(SCOPES, scope));
	const permissions = scopes.flatMap((scope): readonly Permission[] => SCOPES[scope].permissions);
	return { known: new KnownPerson(row, { token: { permissions, model: row.model } }), scopes };
}
