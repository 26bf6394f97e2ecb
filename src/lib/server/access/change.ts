import type pg from 'pg';
import { z } from 'zod';
import { isDeepStrictEqual } from 'node:util';
import { pool, transaction } from '../database';
import { lockAccess } from '../database/locks';
import { countUpStructure } from '../database/structure-version';
import { Fault, notFound } from '../fault';
import { requirePermission, requirePermissionEverywhere, type SignedIn } from '../session';
import { grantKind } from './kinds/grant';
import { groupKind } from './kinds/group';
import { guardedKind } from './kinds/guarded';
import type { AccessKind, KindOfAccess } from './kinds/kind';
import { personKind } from './kinds/person';
import { roleKind } from './kinds/role';

const KINDS = {
	person: personKind,
	group: groupKind,
	role: roleKind,
	grant: grantKind,
	guarded: guardedKind
} as unknown as Record<AccessKind, KindOfAccess<unknown>>;

export const changeSchema = z.object({
	kind: z.enum(['person', 'group', 'role', 'grant', 'guarded']),
	/** Null for a new one. */
	id: z.int().nullable(),
	/** What the page shows now, so that nobody writes over what another has changed meanwhile; null for a new one. */
	before: z.unknown(),
	/** Null to take it away. */
	after: z.unknown()
});
export type AccessChange = z.infer<typeof changeSchema>;

/**
 * Changes what access is made of: one object goes from a state to another, with both in the journal.
 * @throws Fault 409 where it has been changed meanwhile or is in use, 422 where nobody would be left who gives access
 */
export async function changeAccess(
	person: SignedIn | undefined,
	modelId: number,
	change: AccessChange
): Promise<{ id: number; change: number | null }> {
	const kind = KINDS[change.kind];
	const writer = requireFor(kind, person);
	// Only what is taken back comes under a number it had.
	if (change.id !== null && (change.before === null || change.before === undefined)) throw notFound(change.kind);
	const stateOf = (state: unknown) => (state === null || state === undefined ? null : parsed(kind, state));
	return transaction((client) =>
		put(client, writer, modelId, { kind: change.kind, id: change.id, before: stateOf(change.before), after: stateOf(change.after) })
	);
}

/** People, groups and roles are of all models. */
const requireFor = (kind: KindOfAccess<unknown>, person: SignedIn | undefined): SignedIn =>
	(kind.inModel ? requirePermission : requirePermissionEverywhere)(person, 'access.write');

function parsed(kind: KindOfAccess<unknown>, state: unknown): unknown {
	const read = kind.schema.safeParse(state);
	if (read.success) return read.data;
	const [issue] = read.error.issues;
	throw new Fault(400, 'not understood', `${issue?.path.join(', ') || 'This'}: ${issue?.message ?? 'is not as it should be'}.`);
}

async function put(
	client: pg.PoolClient,
	writer: SignedIn,
	modelId: number,
	{
		kind: name,
		id,
		before,
		after,
		takesBack = null
	}: { kind: AccessKind; id: number | null; before: unknown; after: unknown; takesBack?: number | null }
): Promise<{ id: number; change: number | null }> {
	const kind = KINDS[name];
	await lockAccess(client);
	const stored = id === null ? null : await kind.read(client, modelId, id);
	if (id !== null && stored === null && before !== null) throw notFound(name);
	if (id !== null && !isDeepStrictEqual(stored, before))
		throw new Fault(
			409,
			'changed meanwhile',
			'Somebody else has changed this meanwhile. It is shown as it is now; make your change again.'
		);
	if (stored === null && after === null) throw notFound(name);
	// Asked twice, it is done once.
	if (id !== null && isDeepStrictEqual(stored, after)) return { id, change: null };
	const own = await kind.write(client, modelId, id, after);
	await requireAdministrator(client);
	const made = await client.query<{ id: number }>(
		`INSERT INTO access_change (person_id, model_id, kind, object_id, name, words, before, after, takes_back)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9) RETURNING id`,
		[
			writer.id,
			kind.inModel ? modelId : null,
			name,
			own,
			kind.nameOf(after ?? stored),
			`${takesBack === null ? '' : 'taken back: '}${kind.words(stored, after)}`,
			stored === null ? null : JSON.stringify(stored),
			after === null ? null : JSON.stringify(after),
			takesBack
		]
	);
	await countUpStructure(client, kind.inModel ? [modelId] : 'all', 'access');
	return { id: own, change: made.rows[0]!.id };
}

/** Somebody must be left who can give access in every model. */
async function requireAdministrator(client: pg.PoolClient): Promise<void> {
	const left = await client.query(
		`SELECT FROM person p JOIN person_role r ON r.person_id = p.id JOIN role_permission rp ON rp.role_id = r.role_id
		WHERE p.active AND p.password_hash IS NOT NULL AND r.model_id IS NULL AND rp.permission = 'access.write' LIMIT 1`
	);
	if (left.rowCount === 0)
		throw new Fault(422, 'last administrator', 'Nobody would be left who gives access in every model. Give that to somebody else first.');
}

export interface AccessJournalLine {
	id: number;
	at: string;
	person: string | null;
	kind: AccessKind;
	name: string;
	words: string;
	before: unknown;
	after: unknown;
	/** What the members (ids) of a grant, or the dimensions that are guarded, are called. */
	named: Record<string, string>;
	/** Whether the object is as this change left it, so that it can be taken back. */
	latest: boolean;
}

/** The changes of access: of people, groups and roles, and of what is granted in a model; the latest first. */
export async function accessJournal(person: SignedIn | undefined, modelId: number): Promise<AccessJournalLine[]> {
	requirePermission(person, 'access.read');
	const found = await pool().query<Omit<AccessJournalLine, 'at'> & { at: Date }>(
		`SELECT c.id, c.at, p.name AS person, c.kind, c.name, c.words, c.before, c.after,
			NOT EXISTS (SELECT FROM access_change l WHERE l.kind = c.kind AND l.object_id = c.object_id AND l.id > c.id) AS latest,
			CASE c.kind
				WHEN 'grant' THEN (SELECT json_object_agg(m.id, m.name) FROM member m
					WHERE m.id IN (SELECT (jsonb_array_elements_text(coalesce(s -> 'members', '[]')))::integer FROM unnest(ARRAY[c.before, c.after]) AS s))
				WHEN 'guarded' THEN (SELECT json_object_agg(d.id, d.name) FROM dimension d
					WHERE d.id IN (SELECT (jsonb_array_elements_text(coalesce(s -> 'dimensions', '[]')))::integer FROM unnest(ARRAY[c.before, c.after]) AS s))
			END AS named
		FROM access_change c LEFT JOIN person p ON p.id = c.person_id
		WHERE c.model_id IS NULL OR c.model_id = $1 ORDER BY c.id DESC LIMIT 200`,
		[modelId]
	);
	return found.rows.map((line) => ({ ...line, named: line.named ?? {}, at: line.at.toISOString() }));
}

/** Takes the latest change of an object back: what was before is put again, as a change of its own. */
export async function takeBackAccess(person: SignedIn | undefined, modelId: number, id: number): Promise<{ change: number | null }> {
	const writer = requirePermission(person, 'access.write');
	return transaction(async (client) => {
		const found = await client.query<{ kind: AccessKind; object: number; before: unknown; after: unknown; latest: boolean }>(
			`SELECT c.kind, c.object_id AS object, c.before, c.after,
				NOT EXISTS (SELECT FROM access_change l WHERE l.kind = c.kind AND l.object_id = c.object_id AND l.id > c.id) AS latest
			FROM access_change c WHERE c.id = $1 AND (c.model_id IS NULL OR c.model_id = $2)`,
			[id, modelId]
		);
		const change = found.rows[0];
		if (!change) throw notFound('change of access');
		requireFor(KINDS[change.kind], person);
		if (!change.latest) throw new Fault(409, 'changed since', 'It has been changed again since. Take the later change back first.');
		const { change: made } = await put(client, writer, modelId, {
			kind: change.kind,
			id: change.object,
			before: change.after,
			after: change.before,
			takesBack: id
		});
		return { change: made };
	});
}
