import { pool, type Database } from '../database';
import { notSignedIn } from '../fault';
import { requirePermission, requirePermissionEverywhere, type Permission, type SignedIn } from '../session';
import type { AttributeGrantState } from './kinds/attribute-grant';
import type { GrantState } from './kinds/grant';
import type { GroupState } from './kinds/group';
import type { PersonState } from './kinds/person';
import type { RoleState } from './kinds/role';
import type { SubstituteState } from './kinds/substitute';

/** An object of access as it stands. */
export type Standing<State> = { id: number; state: State };

export type PersonLine = Standing<PersonState> & {
	/** Invited, and has not set a password yet. */
	invited: boolean;
	/** Whether a code follows their password. */
	factor: boolean;
	/** When they were signed in last; null where they never were, or long ago. */
	seen: string | null;
	/** Names of their groups. */
	groups: string[];
	/** What somebody who is not active any more has typed and not saved, by model. */
	drafts: { model: number; name: string; cells: number }[];
};

export interface AccessNames {
	people: { id: number; name: string; active: boolean }[];
	groups: { id: number; name: string }[];
	roles: { id: number; name: string }[];
	models: { id: number; name: string }[];
}

const GIVEN = (column: 'person_id' | 'group_id', of: string) =>
	`coalesce((SELECT json_agg(json_build_object('role', r.role_id, 'model', r.model_id) ORDER BY r.role_id, r.model_id NULLS FIRST)
		FROM role_given r WHERE r.${column} = ${of}.id), '[]')`;

/** Names to choose from. */
export async function accessNames(person: SignedIn | undefined, models: readonly { id: number; name: string }[]): Promise<AccessNames> {
	requirePermission(person, 'access.read');
	const [people, groups, roles] = await Promise.all([
		pool().query<AccessNames['people'][number]>('SELECT id, name, active FROM person ORDER BY name, id'),
		pool().query<AccessNames['groups'][number]>('SELECT id, name FROM people_group ORDER BY name'),
		pool().query<AccessNames['roles'][number]>('SELECT id, name FROM role ORDER BY id')
	]);
	return { people: people.rows, groups: groups.rows, roles: roles.rows, models: models.map(({ id, name }) => ({ id, name })) };
}

export async function readPeople(person: SignedIn | undefined, database: Database = pool()): Promise<PersonLine[]> {
	requirePermission(person, 'access.read');
	const found = await database.query<
		PersonState & { id: number; invited: boolean; factor: boolean; seen: Date | null; groups: string[]; drafts: PersonLine['drafts'] }
	>(
		`SELECT p.id, p.email, p.name, p.title, p.active, p.password_hash IS NULL AND NOT EXISTS (SELECT FROM person_identity i WHERE i.person_id = p.id) AS invited, ${GIVEN('person_id', 'p')} AS roles,
			EXISTS (SELECT FROM second_factor f WHERE f.person_id = p.id AND f.confirmed_at IS NOT NULL) AS factor,
			(SELECT max(s.seen_at) FROM session s WHERE s.person_id = p.id) AS seen,
			coalesce((SELECT array_agg(g.name ORDER BY g.name) FROM people_group g JOIN people_group_member m ON m.group_id = g.id WHERE m.person_id = p.id), '{}') AS groups,
			coalesce((SELECT json_agg(json_build_object('model', o.id, 'name', o.name, 'cells', (SELECT count(*) FROM draft_cell c WHERE c.draft_id = d.id)))
				FROM draft d JOIN model o ON o.id = d.model_id WHERE NOT p.active AND d.person_id = p.id AND d.branch_id IS NULL AND EXISTS (SELECT FROM draft_cell c WHERE c.draft_id = d.id)), '[]') AS drafts
		FROM person p ORDER BY p.name, p.id`
	);
	return found.rows.map(({ id, invited, factor, seen, groups, drafts, ...state }) => ({
		id,
		state,
		invited,
		factor,
		seen: seen?.toISOString() ?? null,
		groups,
		drafts
	}));
}

export async function readGroups(person: SignedIn | undefined, database: Database = pool()): Promise<Standing<GroupState>[]> {
	requirePermission(person, 'access.read');
	const found = await database.query<GroupState & { id: number }>(
		`SELECT g.id, g.name, g.description, ${GIVEN('group_id', 'g')} AS roles,
			coalesce((SELECT array_agg(m.person_id ORDER BY m.person_id) FROM people_group_member m WHERE m.group_id = g.id), '{}') AS members
		FROM people_group g ORDER BY g.name`
	);
	return found.rows.map(({ id, ...state }) => ({ id, state }));
}

export type RoleLine = Standing<RoleState> & {
	/** To how many people and groups it is given. */
	given: number;
	/** Whom to, in words, as far as there is room. */
	holders: string[];
};

const MOST_HOLDERS = 60;

/** The roles, with whom each is given to. */
export async function readRoles(person: SignedIn | undefined): Promise<RoleLine[]> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{
		id: number;
		name: string;
		description: string;
		permissions: Permission[];
		given: number;
		holders: string[];
	}>(
		`SELECT r.id, r.name, r.description, (SELECT count(*)::integer FROM role_given g WHERE g.role_id = r.id) AS given,
			coalesce((SELECT array_agg(words ORDER BY words) FROM (
				SELECT coalesce(p.name, 'the group ' || t.name) || coalesce(' in ' || m.name, '') AS words FROM role_given g
				LEFT JOIN person p ON p.id = g.person_id LEFT JOIN people_group t ON t.id = g.group_id LEFT JOIN model m ON m.id = g.model_id
				WHERE g.role_id = r.id ORDER BY words LIMIT ${MOST_HOLDERS}) AS named), '{}') AS holders,
			coalesce((SELECT array_agg(p.permission ORDER BY p.permission) FROM role_permission p WHERE p.role_id = r.id), '{}') AS permissions
		FROM role r ORDER BY r.id`
	);
	return found.rows.map(({ id, given, holders, ...state }) => ({ id, given, holders, state }));
}

export interface GrantLine extends Standing<GrantState> {
	holder: string;
	isGroup: boolean;
	/** The members by dimension, in words; empty where it is for everything. */
	slice: { dimension: string; members: string[] }[];
	/** Members (ids) by dimension (id). */
	on: { dimension: number; member: number }[];
}

export interface ModelGrants {
	grants: GrantLine[];
	/** The dimensions that may be guarded, and whether they are. */
	dimensions: { id: number; name: string; guarded: boolean }[];
	/** Grants by attribute, with how many people and members they are about. */
	byAttribute: (Standing<AttributeGrantState> & { words: string; people: number; members: number })[];
	/** What names people at members and gives nothing yet. */
	attributes: { dimension: number; by: AttributeGrantState['by']; words: string }[];
}

const ATTRIBUTE_WORDS = `CASE g.field WHEN 'owner' THEN 'Owner' WHEN 'reviewers' THEN 'Reviewers' ELSE a.name END || ' of ' || d.name`;

async function readAttributeGrants(database: Database, modelId: number): Promise<Pick<ModelGrants, 'byAttribute' | 'attributes'>> {
	type Row = { dimension: number; field: string; attribute: number | null; words: string };
	const given = await database.query<Row & { id: number; level: 'read' | 'write'; people: number; members: number }>(
		`SELECT g.id, g.dimension_id AS dimension, g.field, g.attribute_id AS attribute, g.level, ${ATTRIBUTE_WORDS} AS words,
			(SELECT count(DISTINCT n.person_id)::integer FROM named_by_attribute n WHERE n.grant_id = g.id) AS people,
			(SELECT count(DISTINCT n.member_id)::integer FROM named_by_attribute n WHERE n.grant_id = g.id) AS members
		FROM attribute_grant g JOIN dimension d ON d.id = g.dimension_id LEFT JOIN attribute a ON a.id = g.attribute_id WHERE g.model_id = $1 ORDER BY g.id`,
		[modelId]
	);
	const offered = await database.query<Row>(
		`SELECT d.id AS dimension, g.field, g.attribute, ${ATTRIBUTE_WORDS} AS words FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
		CROSS JOIN LATERAL (
			SELECT 'owner' AS field, NULL::integer AS attribute WHERE d.kind = 'entity' UNION ALL SELECT 'reviewers', NULL WHERE d.kind = 'entity'
			UNION ALL SELECT 'attribute', x.id FROM attribute x WHERE x.dimension_id = d.id AND x.type = 'person') AS g
		LEFT JOIN attribute a ON a.id = g.attribute
		WHERE NOT EXISTS (SELECT FROM attribute_grant t WHERE t.model_id = $1 AND t.dimension_id = d.id AND t.field = g.field AND t.attribute_id IS NOT DISTINCT FROM g.attribute)
		ORDER BY o.position, words`,
		[modelId]
	);
	const byOf = ({ field, attribute }: Row): AttributeGrantState['by'] => attribute ?? (field as 'owner' | 'reviewers');
	return {
		byAttribute: given.rows.map(({ id, level, people, members, ...row }) => ({
			id,
			state: { dimension: row.dimension, by: byOf(row), level },
			words: row.words,
			people,
			members
		})),
		attributes: offered.rows.map((row) => ({ dimension: row.dimension, by: byOf(row), words: row.words }))
	};
}

/** What is granted in a model, and what it guards. */
export async function readGrantsOfModel(person: SignedIn | undefined, modelId: number, database: Database = pool()): Promise<ModelGrants> {
	requirePermission(person, 'access.read');
	const dimensions = await database.query<ModelGrants['dimensions'][number]>(
		`SELECT d.id, d.name, EXISTS (SELECT FROM guarded_dimension g WHERE g.model_id = $1 AND g.dimension_id = d.id) AS guarded
		FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 WHERE d.kind <> 'period' ORDER BY o.position`,
		[modelId]
	);
	const found = await database.query<{
		id: number;
		person: number | null;
		group: number | null;
		holder: string;
		name: string;
		level: GrantState['level'];
		members: { id: number; dimension: number; dimensionName: string; name: string }[];
	}>(
		`SELECT g.id, g.person_id AS person, g.group_id AS "group", coalesce(p.name, t.name) AS holder, g.name, g.level,
			coalesce((SELECT json_agg(json_build_object('id', m.id, 'dimension', d.id, 'dimensionName', d.name, 'name', m.name) ORDER BY m.id)
				FROM access_grant_member x JOIN member m ON m.id = x.member_id JOIN dimension d ON d.id = m.dimension_id WHERE x.grant_id = g.id), '[]') AS members
		FROM access_grant g LEFT JOIN person p ON p.id = g.person_id LEFT JOIN people_group t ON t.id = g.group_id
		WHERE g.model_id = $1 ORDER BY t.name NULLS LAST, p.name, g.id`,
		[modelId]
	);
	return {
		...(await readAttributeGrants(database, modelId)),
		dimensions: dimensions.rows,
		grants: found.rows.map(({ id, person: one, group, holder, name, level, members }) => ({
			id,
			holder,
			isGroup: group !== null,
			state: { holder: one === null ? { group: group! } : { person: one }, name, level, members: members.map((member) => member.id) },
			slice: dimensions.rows.flatMap((dimension) => {
				const named = members.filter((member) => member.dimension === dimension.id).map((member) => member.name);
				return named.length > 0 ? [{ dimension: dimension.name, members: named }] : [];
			}),
			on: members.map((member) => ({ dimension: member.dimension, member: member.id }))
		}))
	};
}

/** Letters that were written to people; with no mail to send them by they are kept here. */
export async function readOutbox(
	person: SignedIn | undefined
): Promise<{ id: number; at: string; address: string; subject: string; body: string }[]> {
	requirePermissionEverywhere(person, 'access.write');
	const found = await pool().query<{ id: number; at: Date; address: string; subject: string; body: string }>(
		'SELECT id, at, address, subject, body FROM outbox ORDER BY id DESC LIMIT 100'
	);
	return found.rows.map((letter) => ({ ...letter, at: letter.at.toISOString() }));
}

export type SubstituteLine = Standing<SubstituteState> & { name: string };

/** Who stands in for a person, from today on. */
export async function readSubstitutes(person: SignedIn | undefined): Promise<SubstituteLine[]> {
	if (!person) throw notSignedIn();
	const found = await pool().query<SubstituteState & { id: number; name: string }>(
		`SELECT u.id, u.person_id AS person, u.substitute_id AS substitute, u.from_date::text AS from, u.until_date::text AS until, p.name
		FROM substitute u JOIN person p ON p.id = u.substitute_id WHERE u.person_id = $1 AND u.until_date >= current_date ORDER BY u.from_date, u.id`,
		[person.id]
	);
	return found.rows.map(({ id, name, ...state }) => ({ id, name, state }));
}

/** Whom one can name to stand in: everybody who is active, but oneself. */
export async function colleagues(person: SignedIn | undefined): Promise<{ id: number; name: string }[]> {
	if (!person) throw notSignedIn();
	const found = await pool().query<{ id: number; name: string }>(
		'SELECT id, name FROM person WHERE active AND id <> $1 ORDER BY name, id',
		[person.id]
	);
	return found.rows;
}
