import { z } from 'zod';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askEngine } from '../engine';
import { notFound } from '../fault';
import { inWords, personById, requirePermission, type Permission, type SignedIn } from '../session';
import { readAccessRules } from './rules';

export const whySchema = z.object({
	person: z.int(),
	/** One member (id) of each dimension in address order, and a period. */
	members: z.array(z.int()).min(2).max(40),
	period: z.int()
});

/**
 * The dimensions a figure is named by, in address order, the period last; each with the member one begins with.
 * @param asked members (ids) of a figure that is asked about
 */
export async function figureDimensions(
	person: SignedIn | undefined,
	modelId: number,
	asked: readonly number[]
): Promise<{ id: number; name: string; isPeriod: boolean; first: { id: number; name: string } | null }[]> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{ id: number; name: string; isPeriod: boolean; first: { id: number; name: string } | null }>(
		`SELECT d.id, d.name, d.kind = 'period' AS "isPeriod", (SELECT json_build_object('id', m.id, 'name', m.name) FROM member m
				JOIN hierarchy h ON h.dimension_id = d.id AND h.main LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
				WHERE m.dimension_id = d.id AND (m.id = ANY ($2) OR (n.parent_id IS NULL AND NOT m.retired)) ORDER BY m.id = ANY ($2) DESC, n.position, m.id LIMIT 1) AS first
		FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1 ORDER BY d.kind = 'period', o.position`,
		[modelId, asked]
	);
	return found.rows;
}

/** A sentence of an explanation; the first that does not hold breaks the chain. */
export interface WhyLine {
	words: string;
	holds: boolean;
}

export interface Why {
	name: string;
	read: WhyLine[];
	write: WhyLine[];
}

/** Why somebody may, or may not, read and write a figure: from their roles by way of grants to locks. */
export async function whyFigure(
	person: SignedIn | undefined,
	modelId: number,
	{ person: of, members, period }: z.infer<typeof whySchema>
): Promise<Why> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{ name: string; active: boolean }>('SELECT name, active FROM person WHERE id = $1', [of]);
	if (!found.rows[0]) throw notFound('person');
	const { name, active } = found.rows[0];
	if (!active) {
		const gone = [{ words: `${name} is not active and cannot sign in.`, holds: false }];
		return { name, read: gone, write: gone };
	}
	const asked = await personById(of, modelId);
	const [reads, enters] = await Promise.all([rolesWith(of, modelId, 'form.read'), rolesWith(of, modelId, 'form.enter')]);
	const rules = await readAccessRules(asked, modelId);
	const { structure } = await modelVersions(pool(), modelId);
	const verdict = await askEngine(modelId, 'whyCell', { rules, structure, members, period });
	const byRole = (permission: Permission, roles: string[]): WhyLine =>
		roles.length > 0
			? { words: `${name} may ${inWords(permission)}, by the role ${roles.join(' and ')}.`, holds: true }
			: { words: `No role lets ${name} ${inWords(permission)} in this model.`, holds: false };
	return {
		name,
		read: [byRole('form.read', reads), ...verdict.read],
		write: [byRole('form.enter', enters), ...verdict.write]
	};
}

/** The roles that give somebody a permission in a model, with the group they come through. */
async function rolesWith(person: number, modelId: number, permission: Permission): Promise<string[]> {
	const found = await pool().query<{ words: string }>(
		`SELECT DISTINCT r.name || coalesce(' of the group ' || t.name, '') || CASE WHEN g.model_id IS NULL THEN '' ELSE ' in this model' END AS words
		FROM role_given g JOIN role r ON r.id = g.role_id JOIN role_permission p ON p.role_id = r.id AND p.permission = $3
		LEFT JOIN people_group t ON t.id = g.group_id
		WHERE (g.model_id IS NULL OR g.model_id = $2)
			AND (g.person_id = $1 OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = $1)) ORDER BY words`,
		[person, modelId, permission]
	);
	return found.rows.map(({ words }) => words);
}
