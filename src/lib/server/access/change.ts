import type pg from 'pg';
import { z } from 'zod';
import { isDeepStrictEqual } from 'node:util';
import { actingNow } from '../acting';
import { pool, transaction } from '../database';
import { lockAccess } from '../database/locks';
import { countUpStructure } from '../database/structure-version';
import { Fault, notFound } from '../fault';
import { requirePermission, requirePermissionEverywhere, type SignedIn } from '../session';
import { attributeGrantKind } from './kinds/attribute-grant';
import { grantKind } from './kinds/grant';
import { groupKind } from './kinds/group';
import { guardedKind } from './kinds/guarded';
import { ACCESS_KINDS, type AccessKind, type KindOfAccess } from './kinds/kind';
import { personKind } from './kinds/person';
import { roleKind } from './kinds/role';
import { substituteKind } from './kinds/substitute';

const KINDS = {
	person: personKind,
	group: groupKind,
	role: roleKind,
	grant: grantKind,
	guarded: guardedKind,
	'attribute grant': attributeGrantKind,
	substitute: substituteKind
} as unknown as Record<AccessKind, KindOfAccess<unknown>>;

export const changeSchema = z.object({
	kind: z.enum(ACCESS_KINDS),
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
	return transaction((client) => applyChange(client, person, modelId, change));
}

/** An object as it is stored, locked until the transaction ends; null where there is none. */
export const stateOfAccess = <State>(client: pg.PoolClient, modelId: number, kind: AccessKind, id: number): Promise<State | null> =>
	KINDS[kind].read(client, modelId, id) as Promise<State | null>;

/** A change within the caller's transaction. */
export async function applyChange(
	client: pg.PoolClient,
	person: SignedIn | undefined,
	modelId: number,
	change: AccessChange
): Promise<{ id: number; change: number | null }> {
	const kind = KINDS[change.kind];
	// Only what is taken back comes under a number it had.
	if (change.id !== null && (change.before === null || change.before === undefined)) throw notFound(change.kind);
	const stateOf = (state: unknown) => (state === null || state === undefined ? null : parsed(kind, state));
	const states = { before: stateOf(change.before), after: stateOf(change.after) };
	const writer = requireFor(kind, person, Object.values(states));
	return put(client, writer, modelId, { kind: change.kind, id: change.id, ...states });
}

/**
 * Makes a change, looks at what has come of it, and undoes it.
 * @throws Fault as the change itself would
 */
export async function planChange<Seen>(
	person: SignedIn | undefined,
	modelId: number,
	change: AccessChange,
	look: (client: pg.PoolClient) => Promise<Seen>
): Promise<Seen> {
	const enough = new Error('looked at');
	let seen: Seen | undefined;
	try {
		await transaction(async (client) => {
			await applyChange(client, person, modelId, change);
			seen = await look(client);
			throw enough;
		});
	} catch (failure) {
		if (failure !== enough) throw failure;
	}
	return seen as Seen;
}

/** People, groups and roles are of all models; what is one's own needs nothing but being signed in as oneself. */
function requireFor(kind: KindOfAccess<unknown>, person: SignedIn | undefined, states: readonly unknown[]): SignedIn {
	const { ownBy } = kind;
	if (person && !person.acting && ownBy && states.every((state) => state === null || ownBy(state) === person.id)) return person;
	return (kind.inModel ? requirePermission : requirePermissionEverywhere)(person, 'access.write');
}

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
	// Made already, by a request whose answer was lost: it is made once.
	const made = id === null && after !== null ? await kind.same?.(client, modelId, after) : undefined;
	if (made !== undefined) return { id: made, change: null };
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
	const journalled = await client.query<{ id: number }>(
		`INSERT INTO access_change (person_id, model_id, kind, object_id, name, words, before, after, takes_back, acting_id)
		VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10) RETURNING id`,
		[
			writer.id,
			kind.inModel ? modelId : null,
			name,
			own,
			kind.nameOf(after ?? stored),
			`${takesBack === null ? '' : 'taken back: '}${kind.words(stored, after)}`,
			stored === null ? null : JSON.stringify(stored),
			after === null ? null : JSON.stringify(after),
			takesBack,
			actingNow()
		]
	);
	await countUpStructure(client, kind.inModel ? [modelId] : 'all', 'access');
	return { id: own, change: journalled.rows[0]!.id };
}

/** Somebody must be left who can give access in every model. */
async function requireAdministrator(client: pg.PoolClient): Promise<void> {
	const left = await client.query(
		`SELECT FROM person p JOIN person_role r ON r.person_id = p.id JOIN role_permission rp ON rp.role_id = r.role_id
		WHERE p.active AND (p.password_hash IS NOT NULL OR EXISTS (SELECT FROM person_identity i WHERE i.person_id = p.id))
			AND r.model_id IS NULL AND rp.permission = 'access.write' LIMIT 1`
	);
	if (left.rowCount === 0)
		throw new Fault(422, 'last administrator', 'Nobody would be left who gives access in every model. Give that to somebody else first.');
}

export interface AccessJournalLine {
	id: number;
	at: string;
	person: string | null;
	/** What was changed; `place` where somebody took another one's place, `factor` where a second factor was taken off, `draft`
	 * where somebody's draft was handed on, `token` where one was made or ended. */
	kind: AccessKind | 'place' | 'factor' | 'draft' | 'token';
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
		`SELECT c.id, c.at, doer(c.person_id, c.acting_id) AS person, c.kind, c.name, c.words, c.before, c.after,
			NOT EXISTS (SELECT FROM access_change l WHERE l.kind = c.kind AND l.object_id = c.object_id AND l.id > c.id) AS latest,
			CASE c.kind
				WHEN 'grant' THEN (SELECT json_object_agg(m.id, m.name) FROM member m
					WHERE m.id IN (SELECT (jsonb_array_elements_text(coalesce(s -> 'members', '[]')))::integer FROM unnest(ARRAY[c.before, c.after]) AS s))
				WHEN 'attribute grant' THEN (SELECT json_object_agg(k, n) FROM (
					SELECT 'd' || d.id AS k, d.name AS n FROM dimension d WHERE d.id IN ((c.before ->> 'dimension')::integer, (c.after ->> 'dimension')::integer)
					UNION ALL SELECT 'a' || a.id, a.name FROM attribute a
						WHERE a.id::text IN (c.before ->> 'by', c.after ->> 'by')) AS named)
				WHEN 'guarded' THEN (SELECT json_object_agg(d.id, d.name) FROM dimension d
					WHERE d.id IN (SELECT (jsonb_array_elements_text(coalesce(s -> 'dimensions', '[]')))::integer FROM unnest(ARRAY[c.before, c.after]) AS s))
			END AS named
		FROM access_change c
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
		if (!Object.hasOwn(KINDS, change.kind))
			throw new Fault(422, 'not possible', 'This was seen or begun, not changed: there is nothing to take back.');
		requireFor(KINDS[change.kind], person, [change.before, change.after]);
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
