import { group } from 'd3-array';
import { z } from 'zod';
import { pool } from '../database';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readGrantsOfModel } from './desk';
import type { Holder } from './kinds/kind';

export const matrixSchema = z.object({ dimension: z.int(), find: z.string().max(100).default('') });

/** What somebody has at a member: by a grant of their own there, or by one for what is above it, for everything, or of a group. */
export interface MatrixCell {
	level: 'read' | 'write' | 'none' | null;
	/** The grant (id) for exactly this member, where there is one. */
	own: number | null;
	/** Where it comes from, in words; empty for one's own. */
	from: string;
}

export interface GrantMatrix {
	members: { id: number; name: string; depth: number; parent: boolean }[];
	holders: { holder: Holder; name: string; isGroup: boolean; cells: MatrixCell[] }[];
	/** Of how many more there is no room: they are found by name. */
	others: number;
}

const MOST_MEMBERS = 400;
const MOST_HOLDERS = 150;
const STRENGTH = { read: 1, write: 2, none: 3 };

/**
 * People and groups against the members of one dimension: grants that name members of this dimension alone, or none at all.
 * Those over several dimensions together are in the list, not here.
 */
export async function grantMatrix(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, find }: z.infer<typeof matrixSchema>
): Promise<GrantMatrix> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{ id: number; name: string; above: number | null }>(
		`WITH RECURSIVE tree AS (
			SELECT m.id, m.name, NULL::integer AS above, ARRAY[coalesce(n.position, 0), m.id]::double precision[] AS place
			FROM member m JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1
			JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main
			LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
			WHERE m.dimension_id = $2 AND n.parent_id IS NULL AND NOT m.retired
			UNION ALL
			SELECT m.id, m.name, t.id, t.place || ARRAY[n.position, m.id]::double precision[]
			FROM tree t JOIN hierarchy_node n ON n.parent_id = t.id JOIN hierarchy h ON h.id = n.hierarchy_id AND h.main AND h.dimension_id = $2
			JOIN member m ON m.id = n.member_id WHERE NOT m.retired
		) SELECT id, name, above FROM tree ORDER BY place LIMIT ${MOST_MEMBERS}`,
		[modelId, dimension]
	);
	if (found.rows.length === 0) throw notFound('dimension');
	const above = new Map(found.rows.map(({ id, above: over }) => [id, over]));
	const lines = new Map<number, number[]>();
	/** A member and all above it. */
	const lineOf = (id: number): number[] => {
		const known = lines.get(id);
		if (known) return known;
		const over = above.get(id) ?? null;
		const line = over === null ? [id] : [id, ...lineOf(over)];
		lines.set(id, line);
		return line;
	};
	const given = await givenHere(person, modelId, dimension);
	const holders = await holdersShown(modelId, find);
	const memberships = await pool().query<{ person: number; group: number }>(
		'SELECT person_id AS person, group_id AS "group" FROM people_group_member WHERE person_id = ANY ($1)',
		[holders.shown.flatMap(({ holder }) => ('person' in holder ? [holder.person] : []))]
	);
	const groupsOf = group(memberships.rows, (each) => each.person);
	const byHolder = group(given, ({ holder }) => JSON.stringify(holder));
	const parents = new Set(above.values());
	return {
		members: found.rows.map(({ id, name }) => ({ id, name, depth: lineOf(id).length - 1, parent: parents.has(id) })),
		holders: holders.shown.map(({ holder, name }) => {
			const own = byHolder.get(JSON.stringify(holder)) ?? [];
			const through =
				'person' in holder
					? (groupsOf.get(holder.person) ?? []).flatMap(({ group }) =>
							(byHolder.get(JSON.stringify({ group })) ?? []).map((grant) => ({ ...grant, by: `${grant.by} of the group ${grant.name}` }))
						)
					: [];
			return {
				holder,
				name,
				isGroup: 'group' in holder,
				cells: found.rows.map(({ id }) => cellOf(own, through, id, lineOf(id)))
			};
		}),
		others: holders.others
	};
}

/** A grant that names members of the dimension alone, or none at all. */
interface GivenHere {
	/** Null where an attribute gives it. */
	id: number | null;
	holder: Holder;
	/** Of its holder. */
	name: string;
	level: 'read' | 'write' | 'none';
	/** Null for everything. */
	members: ReadonlySet<number> | null;
	/** What it is called, in words that follow “by”. */
	by: string;
}

async function givenHere(person: SignedIn | undefined, modelId: number, dimension: number): Promise<GivenHere[]> {
	const { grants } = await readGrantsOfModel(person, modelId);
	const named = await pool().query<{ person: number; name: string; level: 'read' | 'write'; slice: Record<number, number[]> }>(
		'SELECT person_id AS person, name, level, slice FROM granted_slice WHERE model_id = $1 AND kind = 2',
		[modelId]
	);
	return [
		...grants
			.filter(({ on }) => on.every((each) => each.dimension === dimension))
			.map(({ id, holder: name, state }): GivenHere => ({
				id,
				holder: state.holder,
				name,
				level: state.level,
				members: state.members.length === 0 ? null : new Set(state.members),
				by: `“${state.name}”`
			})),
		...named.rows.flatMap(({ person: one, name, level, slice }): GivenHere[] =>
			slice[dimension]
				? [{ id: null, holder: { person: one }, name: '', level, members: new Set(slice[dimension]), by: `attribute, ${name}` }]
				: []
		)
	];
}

function cellOf(own: readonly GivenHere[], through: readonly GivenHere[], id: number, line: readonly number[]): MatrixCell {
	const exact = own.find((grant) => grant.id !== null && grant.members?.size === 1 && grant.members.has(id));
	let strongest: GivenHere | undefined;
	for (const grant of [...own, ...through]) {
		if (grant.members && !line.some((member) => grant.members!.has(member))) continue;
		if (!strongest || STRENGTH[grant.level] > STRENGTH[strongest.level]) strongest = grant;
	}
	const isOwn = exact !== undefined && strongest !== undefined && STRENGTH[exact.level] >= STRENGTH[strongest.level];
	return { level: strongest?.level ?? null, own: exact?.id ?? null, from: !strongest || isOwn ? '' : strongest.by };
}

/** Groups and people who may do anything in the model: as many as a page shows, by a part of their name. */
async function holdersShown(modelId: number, find: string): Promise<{ shown: { holder: Holder; name: string }[]; others: number }> {
	const like = `%${find.trim().replaceAll(/[%_\\]/g, '\\$&')}%`;
	const groups = await pool().query<{ id: number; name: string }>('SELECT id, name FROM people_group WHERE name ILIKE $1 ORDER BY name', [
		like
	]);
	const people = await pool().query<{ id: number; name: string }>(
		`SELECT p.id, p.name FROM person p WHERE p.active AND p.name ILIKE $2
			AND (EXISTS (SELECT FROM person_role r WHERE r.person_id = p.id AND (r.model_id IS NULL OR r.model_id = $1))
				OR EXISTS (SELECT FROM access_grant g WHERE g.person_id = p.id AND g.model_id = $1))
		ORDER BY p.name, p.id`,
		[modelId, like]
	);
	const all = [
		...groups.rows.map(({ id, name }) => ({ holder: { group: id }, name })),
		...people.rows.map(({ id, name }) => ({ holder: { person: id }, name }))
	];
	return { shown: all.slice(0, MOST_HOLDERS), others: Math.max(0, all.length - MOST_HOLDERS) };
}
