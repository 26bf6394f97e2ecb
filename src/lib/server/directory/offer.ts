/** The interface by which a directory tells who works here (SCIM 2.0, RFC 7644). Every change is one of access, in its journal. */
import { filter as testOf, parse } from 'scim2-parse-filter';
import { scimPatch, ScimError, type ScimPatchOperation, type ScimResource } from 'scim-patch';
import type pg from 'pg';
import { z } from 'zod';
import { applyChange, stateOfAccess, type GroupState, type PersonState } from '../access';
import { pool, transaction, type Database } from '../database';
import { lockAccess } from '../database/locks';
import { Fault } from '../fault';
import { requirePermissionEverywhere, type SignedIn } from '../session';
import {
	asGroup,
	asUser,
	DISCOVERY,
	ERROR,
	factsOf,
	groupSchema,
	LIST,
	SERVICE,
	userSchema,
	type GroupHere,
	type PersonHere
} from './scim';

const MOST_RESULTS = 200;
/** People, groups and roles are of no model. */
const NO_MODEL = 0;

/** What this interface refuses, in its own form (RFC 7644, section 3.12). */
class Refusal extends Error {
	readonly status: number;
	readonly type: string | undefined;
	constructor(status: number, detail: string, type?: string) {
		super(detail);
		this.status = status;
		this.type = type;
	}
}

const reply = (body: unknown, status = 200): Response =>
	new Response(body === undefined ? null : JSON.stringify(body), { status, headers: { 'content-type': 'application/scim+json' } });

/** A refusal as the standard has it. */
export const refuse = (status: number, detail: string, type?: string): Response =>
	reply({ schemas: [ERROR], status: String(status), detail, ...(type && { scimType: type }) }, status);

/**
 * Answers one request.
 * @param path after the interface's own address: `Users/12`
 * @param base the interface's own address
 */
export async function answerDirectory(
	person: SignedIn | undefined,
	{ request, path, search, base }: { request: Request; path: string; search: URLSearchParams; base: string }
): Promise<Response> {
	try {
		const writer = requirePermissionEverywhere(person, 'access.write');
		const [type = '', id, rest] = path.split('/');
		if (rest !== undefined) throw new Refusal(404, 'There is nothing at this address.');
		if (type === 'ServiceProviderConfig') return reply(SERVICE);
		if (Object.hasOwn(DISCOVERY, type)) return discover(DISCOVERY[type]!, id);
		const kind = Object.hasOwn(KINDS, type) ? KINDS[type] : undefined;
		if (!kind) throw new Refusal(404, 'There is nothing at this address.');
		return await answerKind(kind, writer, { request, id, search, base });
	} catch (failure) {
		if (failure instanceof Refusal) return refuse(failure.status, failure.message, failure.type);
		if (failure instanceof ScimError) return refuse(400, failure.message, 'invalidPath');
		if (failure instanceof Fault)
			return refuse(failure.status === 422 ? 400 : failure.status, failure.message, failure.code === 'known' ? 'uniqueness' : undefined);
		throw failure;
	}
}

function discover(all: readonly { id: string }[], id: string | undefined): Response {
	if (id === undefined)
		return reply({ schemas: [LIST], totalResults: all.length, startIndex: 1, itemsPerPage: all.length, Resources: all });
	const one = all.find((each) => each.id === decodeURIComponent(id));
	return one ? reply(one) : refuse(404, 'There is nothing at this address.');
}

type Resource = ScimResource & { id: string; members?: unknown };
/** People or groups: how they are read and, within a transaction that holds access still, written. */
interface Kind {
	all: (database: Database, base: string) => Promise<Resource[]>;
	make: (client: pg.PoolClient, writer: SignedIn, body: unknown) => Promise<number>;
	put: (client: pg.PoolClient, writer: SignedIn, id: number, body: unknown) => Promise<void>;
	drop: (client: pg.PoolClient, writer: SignedIn, id: number) => Promise<void>;
}

/** Writes, one after another: what a request changes a part of is what stands when its turn has come. */
const inTurn = <Result>(work: (client: pg.PoolClient) => Promise<Result>): Promise<Result> =>
	transaction(async (client) => {
		await lockAccess(client);
		return work(client);
	});

async function answerKind(
	kind: Kind,
	writer: SignedIn,
	{ request, id, search, base }: { request: Request; id: string | undefined; search: URLSearchParams; base: string }
): Promise<Response> {
	const one = async (database: Database, which: string): Promise<Resource> => {
		const found = (await kind.all(database, base)).find((each) => each.id === which);
		if (!found) throw new Refusal(404, `There is no such resource: ${which}.`);
		return found;
	};
	if (id === undefined) {
		if (request.method === 'GET') return reply(listed(await kind.all(pool(), base), search));
		if (request.method !== 'POST') throw new Refusal(405, 'This cannot be done here.');
		const body = await bodyOf(request);
		return reply(await inTurn(async (client) => one(client, String(await kind.make(client, writer, body)))), 201);
	}
	/** Puts what a resource becomes. */
	const put = (becomes: (found: Resource) => unknown) =>
		inTurn(async (client) => {
			await kind.put(client, writer, Number(id), becomes(await one(client, id)));
			return reply(await one(client, id));
		});
	switch (request.method) {
		case 'GET':
			return reply(await one(pool(), id));
		case 'PUT': {
			const body = await bodyOf(request);
			return put(() => body);
		}
		case 'PATCH': {
			const operations = await readPatch(request);
			return put((found) => scimPatch(found, operations, { mutateDocument: false, treatMissingAsAdd: true }));
		}
		case 'DELETE':
			await inTurn(async (client) => {
				await one(client, id);
				await kind.drop(client, writer, Number(id));
			});
			return reply(undefined, 204);
		default:
			throw new Refusal(405, 'This cannot be done here.');
	}
}

/** A page of what a filter leaves (RFC 7644, section 3.4.2). */
function listed(all: readonly Resource[], search: URLSearchParams) {
	const asked = search.get('filter');
	let found = all;
	if (asked !== null) {
		if (asked.length > 1_000) throw new Refusal(400, 'The filter is too long.', 'invalidFilter');
		try {
			found = all.filter(testOf(parse(asked)));
		} catch {
			throw new Refusal(400, `The filter could not be read: ${asked}`, 'invalidFilter');
		}
	}
	const number = (name: string, usual: number) => {
		const value = Number(search.get(name) ?? usual);
		return Number.isInteger(value) ? value : usual;
	};
	const start = Math.max(1, number('startIndex', 1));
	const count = Math.min(MOST_RESULTS, Math.max(0, number('count', MOST_RESULTS)));
	const page = found.slice(start - 1, start - 1 + count);
	const without = (search.get('excludedAttributes') ?? '').split(',').includes('members');
	return {
		schemas: [LIST],
		totalResults: found.length,
		startIndex: start,
		itemsPerPage: page.length,
		Resources: without ? page.map(({ members: _, ...rest }) => rest) : page
	};
}

async function bodyOf(request: Request): Promise<unknown> {
	try {
		return await request.json();
	} catch (failure) {
		if (failure instanceof Fault) throw failure;
		throw new Refusal(400, 'The body is no JSON.', 'invalidSyntax');
	}
}

const patchSchema = z.object({
	Operations: z
		.array(z.object({ op: z.string().max(10), path: z.string().max(500).optional(), value: z.unknown().optional() }))
		.min(1)
		.max(1_000)
});
/** Names that lead out of what is patched. */
const NOT_A_PATH = /\b(__proto__|prototype|constructor)\b/;

async function readPatch(request: Request): Promise<ScimPatchOperation[]> {
	const read = patchSchema.safeParse(await bodyOf(request));
	if (!read.success || read.data.Operations.some(({ path, value }) => NOT_A_PATH.test(`${path} ${JSON.stringify(value)}`)))
		throw new Refusal(400, 'The operations could not be read.', 'invalidSyntax');
	// Operations are written in any case.
	return read.data.Operations.map((operation) => ({ ...operation, op: operation.op.toLowerCase() })) as ScimPatchOperation[];
}

function parsed<Schema extends z.ZodType>(schema: Schema, body: unknown): z.infer<Schema> {
	const read = schema.safeParse(body);
	if (read.success) return read.data;
	const [issue] = read.error.issues;
	throw new Refusal(400, `${issue?.path.join('.') || 'The body'}: ${issue?.message}.`, 'invalidValue');
}

/** People whom no directory has said to have left. */
const people = async (database: Database): Promise<PersonHere[]> =>
	(
		await database.query<PersonHere>(
			'SELECT id, email, name, title, active, external_id AS "externalId" FROM person WHERE left_at IS NULL ORDER BY id'
		)
	).rows;
const groups = async (database: Database): Promise<GroupHere[]> =>
	(
		await database.query<GroupHere>(
			`SELECT g.id, g.name, g.external_id AS "externalId", coalesce((SELECT json_agg(json_build_object('id', p.id, 'name', p.name) ORDER BY p.id)
				FROM people_group_member m JOIN person p ON p.id = m.person_id WHERE m.group_id = g.id AND p.left_at IS NULL), '[]') AS members
			FROM people_group g ORDER BY g.id`
		)
	).rows;

const KINDS: Readonly<Record<string, Kind>> = {
	Users: {
		all: async (database, base) => (await people(database)).map((person) => asUser(person, base)) as unknown as Resource[],
		make: async (client, writer, body) => {
			const user = parsed(userSchema, body);
			const facts = factsOf(user);
			// Somebody who left and comes back is who they were.
			const back = await client.query<{ id: number }>('SELECT id FROM person WHERE lower(email) = $1 AND left_at IS NOT NULL', [
				facts.email
			]);
			const known = back.rows[0]?.id ?? null;
			const before = known === null ? null : await stateOfAccess<PersonState>(client, NO_MODEL, 'person', known);
			const after: PersonState = { ...facts, roles: before?.roles ?? [] };
			const { id } = await applyChange(client, writer, NO_MODEL, { kind: 'person', id: known, before, after });
			await client.query('UPDATE person SET external_id = $2, left_at = NULL WHERE id = $1', [id, user.externalId ?? null]);
			return id;
		},
		put: async (client, writer, id, body) => {
			const user = parsed(userSchema, body);
			const before = (await stateOfAccess<PersonState>(client, NO_MODEL, 'person', id))!;
			// Who was let go here comes back only when the directory says so.
			const after: PersonState = { ...factsOf(user, before.active), roles: before.roles };
			await applyChange(client, writer, NO_MODEL, { kind: 'person', id, before, after });
			await client.query('UPDATE person SET external_id = coalesce($2, external_id) WHERE id = $1', [id, user.externalId ?? null]);
		},
		drop: async (client, writer, id) => {
			const before = (await stateOfAccess<PersonState>(client, NO_MODEL, 'person', id))!;
			// What they did stays theirs: they are deactivated, and no longer told of.
			await applyChange(client, writer, NO_MODEL, { kind: 'person', id, before, after: { ...before, active: false } });
			await client.query('UPDATE person SET left_at = now() WHERE id = $1', [id]);
		}
	},
	Groups: {
		all: async (database, base) => (await groups(database)).map((group) => asGroup(group, base)) as unknown as Resource[],
		make: async (client, writer, body) => {
			const group = parsed(groupSchema, body);
			const after: GroupState = {
				name: group.displayName,
				description: '',
				members: await memberIds(client, group.members ?? []),
				roles: []
			};
			const { id } = await applyChange(client, writer, NO_MODEL, { kind: 'group', id: null, before: null, after });
			await client.query('UPDATE people_group SET external_id = $2 WHERE id = $1', [id, group.externalId ?? null]);
			return id;
		},
		put: async (client, writer, id, body) => {
			const group = parsed(groupSchema, body);
			const before = (await stateOfAccess<GroupState>(client, NO_MODEL, 'group', id))!;
			const after: GroupState = { ...before, name: group.displayName, members: await memberIds(client, group.members ?? []) };
			await applyChange(client, writer, NO_MODEL, { kind: 'group', id, before, after });
			await client.query('UPDATE people_group SET external_id = coalesce($2, external_id) WHERE id = $1', [id, group.externalId ?? null]);
		},
		drop: async (client, writer, id) => {
			const before = await stateOfAccess<GroupState>(client, NO_MODEL, 'group', id);
			await applyChange(client, writer, NO_MODEL, { kind: 'group', id, before, after: null });
		}
	}
};

/** @throws Refusal naming a member that is not there */
async function memberIds(client: Database, members: readonly { value: string }[]): Promise<number[]> {
	const ids = [...new Set(members.map(({ value }) => Number(value)))].sort((one, other) => one - other);
	const found = await client.query<{ id: number }>('SELECT id FROM person WHERE id = ANY ($1::integer[])', [
		ids.filter((id) => Number.isInteger(id) && id > 0 && id < 2 ** 31)
	]);
	const known = new Set(found.rows.map(({ id }) => id));
	const gone = ids.find((id) => !known.has(id));
	if (gone !== undefined) throw new Refusal(400, `There is no user ${gone} to be a member.`, 'invalidValue');
	return ids;
}
