import { z } from 'zod';
import { pool } from '../database';
import { notFound } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { readGrantsOfModel } from './desk';
import type { Holder } from './kinds/kind';

export const matrixSchema = z.object({ dimension: z.int() });

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
}

const MOST_MEMBERS = 400;
const STRENGTH = { read: 1, write: 2, none: 3 };

/**
 * People and groups against the members of one dimension: grants that name members of this dimension alone, or none at all.
 * Those over several dimensions together are in the list, not here.
 */
export async function grantMatrix(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension }: z.infer<typeof matrixSchema>
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
	const depth = (id: number): number => {
		const over = above.get(id) ?? null;
		return over === null ? 0 : 1 + depth(over);
	};
	const { grants } = await readGrantsOfModel(person, modelId);
	const here = grants.filter(({ on }) => on.every((each) => each.dimension === dimension));
	const groups = await pool().query<{ person: number; group: number }>(
		'SELECT person_id AS person, group_id AS "group" FROM people_group_member'
	);
	const people = await pool().query<{ id: number; name: string }>(
		`SELECT p.id, p.name FROM person p WHERE p.active AND EXISTS (SELECT FROM person_role r WHERE r.person_id = p.id AND (r.model_id IS NULL OR r.model_id = $1))
		ORDER BY p.name`,
		[modelId]
	);
	const allGroups = await pool().query<{ id: number; name: string }>('SELECT id, name FROM people_group ORDER BY name');
	const isOf = (grant: (typeof here)[number], key: 'person' | 'group', id: number) =>
		(grant.state.holder as Record<string, number>)[key] === id;
	const line = (holder: Holder, name: string): GrantMatrix['holders'][number] => {
		const own = here.filter((grant) => ('person' in holder ? isOf(grant, 'person', holder.person) : isOf(grant, 'group', holder.group)));
		const through =
			'person' in holder
				? here.filter((grant) => groups.rows.some(({ person: one, group }) => one === holder.person && isOf(grant, 'group', group)))
				: [];
		const cells = found.rows.map(({ id }): MatrixCell => {
			const exact = own.find(({ state }) => state.members.length === 1 && state.members[0] === id);
			const over: number[] = [];
			for (let at: number | null = id; at !== null; at = above.get(at) ?? null) over.push(at);
			const covering = [...own, ...through].filter(
				(grant) => grant.state.members.length === 0 || grant.state.members.some((member) => over.includes(member))
			);
			const strongest = covering.reduce<(typeof here)[number] | undefined>(
				(best, grant) => (!best || STRENGTH[grant.state.level] > STRENGTH[best.state.level] ? grant : best),
				undefined
			);
			const isOwn = exact !== undefined && strongest !== undefined && STRENGTH[exact.state.level] >= STRENGTH[strongest.state.level];
			return {
				level: strongest?.state.level ?? null,
				own: exact?.id ?? null,
				from:
					!strongest || isOwn
						? ''
						: `“${strongest.state.name}”${strongest.isGroup && 'person' in holder ? ` of the group ${strongest.holder}` : ''}`
			};
		});
		return { holder, name, isGroup: 'group' in holder, cells };
	};
	return {
		members: found.rows.map(({ id, name }) => ({ id, name, depth: depth(id), parent: [...above.values()].includes(id) })),
		holders: [
			...allGroups.rows.map(({ id, name }) => line({ group: id }, name)),
			...people.rows.map(({ id, name }) => line({ person: id }, name))
		]
	};
}
