import type { SliceRule } from '../../core';
import { pool, type Database } from '../database';
import { notFound } from '../fault';
import { isPermission, type Permission } from './permission';

/** Somebody who takes another one's place: to look only, or to stand in for them. */
export interface Acting {
	id: number;
	name: string;
	way: 'look' | 'stand in';
}

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
	/** Who takes their place, where it is not themselves who is signed in. */
	acting?: Acting;
	/** The branch they work in; none is the plan itself. */
	branch?: BranchHere;
}

/** A branch somebody works in. */
export interface BranchHere {
	id: number;
	name: string;
	/** Why nothing may be changed in it; empty where it may. */
	whyNot: string;
	/** The part of the model it is limited to; null for all of it. */
	part: SliceRule | null;
}

/** A person as stored, with everything they hold: in one model (id), or in all where none is named. */
export interface StoredPerson extends Omit<SignedIn, 'permissions' | 'readsPart' | 'everywhere' | 'acting' | 'branch'> {
	held: { permission: string; model: number | null }[];
	/** Models (ids) of which they read a part only. */
	parts: number[];
	/** Models (ids) in which nobody but their maker was granted anything yet, and they neither a grant nor a role. */
	closed: number[];
}

/**
 * What is left to who reads a part of a model: forms show what they may read, and rounds
 * their own units. The other areas show all of a model, or work
 * on all of it, and are closed to them there.
 */
const FOR_READERS_OF_A_PART = new Set<Permission>([
	'form.read',
	'form.enter',
	'rule.run',
	'cycle.read',
	'branch.write',
	'access.read',
	'access.write',
	'access.look',
	'access.tokens'
]);

/** Who stands in for somebody gives no access and makes no tokens in their name. */
const NOT_BY_SUBSTITUTES = new Set<Permission>(['access.write', 'access.look', 'access.tokens']);

/** Whether `p` has a grant in the model of `d` that keeps them out, or one for all of what it guards; as `readsEverything` of the core. */
const HELD_BY = (what: 'none' | 'whole'): string => `EXISTS (SELECT FROM access_grant g WHERE g.model_id = d.model_id
	AND (g.person_id = p.id OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = p.id))
	AND ${
		what === 'none'
			? "g.level = 'none'"
			: `g.level <> 'none' AND NOT EXISTS (SELECT FROM access_grant_member gm JOIN member m ON m.id = gm.member_id
				JOIN guarded_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = d.model_id WHERE gm.grant_id = g.id)`
	})`;
/** Whether an attribute names `p` at a member of a dimension that is not guarded: reading is not narrowed by it. */
const NAMED_WHOLE = `EXISTS (SELECT FROM attribute_grant g JOIN named_by_attribute n ON n.grant_id = g.id AND n.person_id = p.id
	WHERE g.model_id = d.model_id AND NOT EXISTS (SELECT FROM guarded_dimension o WHERE o.model_id = d.model_id AND o.dimension_id = g.dimension_id))`;

/** The columns of a stored person `p`. */
export const PERSON_COLUMNS = `p.id, p.name, p.email, p.title, p.locale, p.theme,
		coalesce((SELECT json_agg(DISTINCT jsonb_build_object('permission', rp.permission, 'model', g.model_id))
			FROM role_given g JOIN role_permission rp ON rp.role_id = g.role_id
			WHERE g.person_id = p.id OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = p.id)), '[]') AS held,
		coalesce((SELECT array_agg(DISTINCT d.model_id) FROM guarded_dimension d WHERE ${HELD_BY('none')} OR NOT (${HELD_BY('whole')} OR ${NAMED_WHOLE})), '{}') AS parts,
		coalesce((SELECT array_agg(m.id) FROM model m WHERE NOT EXISTS (SELECT FROM attribute_grant g WHERE g.model_id = m.id)
			AND NOT EXISTS (SELECT FROM access_grant g WHERE g.model_id = m.id AND (g.group_id IS NOT NULL OR g.person_id = p.id))
			AND (SELECT min(g.person_id) IS NOT DISTINCT FROM max(g.person_id) FROM access_grant g WHERE g.model_id = m.id)
			AND NOT EXISTS (SELECT FROM person_role r WHERE r.model_id = m.id AND r.person_id = p.id)), '{}') AS closed`;

/** What narrows a person's rights in a session or a token. */
export interface Narrowing {
	acting?: Acting;
	/** The permissions a token is for, and the model (id) where it is for one. */
	token?: { permissions: readonly Permission[]; model: number | null };
}

/** A person who has been recognised, before it is known in which model they work. */
export class KnownPerson {
	readonly #stored: StoredPerson;
	readonly #narrowing: Narrowing;

	constructor({ held, parts, closed, id, name, email, title, locale, theme }: StoredPerson, narrowing: Narrowing = {}) {
		this.#stored = { held, parts, closed, id, name, email, title, locale, theme };
		this.#narrowing = narrowing;
	}

	/** Whether there is anything they may do in a model: of the others they learn nothing. */
	mayEnter(modelId: number): boolean {
		const { token } = this.#narrowing;
		if (token && token.model !== null && token.model !== modelId) return false;
		// Whoever gives access in every model can give it there.
		const gives = this.#stored.held.some(({ permission, model }) => permission === 'access.write' && model === null);
		if (!gives && this.#stored.closed.includes(modelId)) return false;
		return this.#stored.held.some(({ model }) => model === null || model === modelId);
	}

	/** With what they may do in a model; outside of any where none is named. */
	in(modelId: number | null): SignedIn {
		const { held, parts, closed: _, ...person } = this.#stored;
		const { acting } = this.#narrowing;
		const readsPart = modelId !== null && parts.includes(modelId);
		const may = (permission: Permission) => this.#isLeft(permission) && (!readsPart || FOR_READERS_OF_A_PART.has(permission));
		const here = held.flatMap(({ permission, model }) =>
			isPermission(permission) && (model === null || model === modelId) && may(permission) ? [permission] : []
		);
		const everywhere = held.flatMap(({ permission, model }) =>
			isPermission(permission) && model === null && this.#isLeft(permission) ? [permission] : []
		);
		return { ...person, permissions: [...new Set(here)], everywhere, readsPart, ...(acting && { acting }) };
	}

	#isLeft(permission: Permission): boolean {
		const { acting, token } = this.#narrowing;
		if (acting?.way === 'stand in' && NOT_BY_SUBSTITUTES.has(permission)) return false;
		return token === undefined || token.permissions.includes(permission);
	}
}

/** A person who is active, by id. */
export async function knownById(id: number | null, narrowing?: Narrowing, database: Database = pool()): Promise<KnownPerson | undefined> {
	const found = await database.query<StoredPerson>(`SELECT ${PERSON_COLUMNS} FROM person p WHERE p.active AND p.id = $1`, [id]);
	return found.rows[0] && new KnownPerson(found.rows[0], narrowing);
}

/**
 * A person with today's rights in a model, for work in their name while they are away. Persons are made here and nowhere else.
 * @param id null for one that is gone
 * @throws Fault when they are gone or not active
 */
export async function personById(id: number | null, modelId: number): Promise<SignedIn> {
	const known = await knownById(id);
	if (!known) throw notFound('person');
	return known.in(modelId);
}

/** The same by e-mail address. */
export async function personByEmail(email: string, modelId: number): Promise<SignedIn> {
	const found = await pool().query<{ id: number }>('SELECT id FROM person WHERE lower(email) = lower($1)', [email.trim()]);
	return personById(found.rows[0]?.id ?? 0, modelId);
}
