import { z } from 'zod';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askEngine } from '../engine';
import { notFound } from '../fault';
import { inWords, knownById, personById, PERMISSIONS, requirePermission, type Permission, type SignedIn } from '../session';
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

export const whyActionSchema = z.object({
	person: z.int(),
	/** A permission, or a form by its code. */
	action: z.union([z.object({ permission: z.enum(PERMISSIONS) }), z.object({ form: z.string().min(1).max(200) })])
});

/** Why somebody may, or may not, do something in a model, or open a form of it. */
export async function whyAction(
	person: SignedIn | undefined,
	modelId: number,
	{ person: of, action }: z.infer<typeof whyActionSchema>
): Promise<{ name: string; what: string; lines: WhyLine[] }> {
	requirePermission(person, 'access.read');
	const found = await pool().query<{ name: string; active: boolean }>('SELECT name, active FROM person WHERE id = $1', [of]);
	if (!found.rows[0]) throw notFound('person');
	const { name, active } = found.rows[0];
	const permission = 'permission' in action ? action.permission : 'form.read';
	const form = 'form' in action ? await formRoles(modelId, action.form) : undefined;
	const what = form ? `open “${form.name}”` : inWords(permission);
	if (!active) return { name, what, lines: [{ words: `${name} is not active and cannot sign in.`, holds: false }] };
	const known = (await knownById(of))!;
	const roles = await rolesWith(of, modelId, permission);
	const lines: WhyLine[] = [
		roles.length > 0
			? { words: `${name} may ${inWords(permission)}, by the role ${roles.join(' and ')}.`, holds: true }
			: { words: `No role lets ${name} ${inWords(permission)} in this model.`, holds: false }
	];
	if (roles.length > 0 && !known.mayEnter(modelId))
		lines.push({
			words: `Nobody was granted anything in this model yet, so it is closed to ${name}: a grant or a role in it opens it.`,
			holds: false
		});
	if (roles.length > 0 && !known.in(modelId).permissions.includes(permission))
		lines.push({ words: `${name} may read a part of this model only, and this shows all of it.`, holds: false });
	if (form && form.roles.length > 0) {
		const own = await pool().query<{ name: string }>(
			`SELECT DISTINCT r.name FROM person_role g JOIN role r ON r.id = g.role_id
			WHERE g.person_id = $1 AND (g.model_id IS NULL OR g.model_id = $2) AND r.id = ANY ($3)`,
			[of, modelId, form.roles]
		);
		const designs = known.in(modelId).permissions.includes('form.design');
		lines.push(
			own.rows[0]
				? { words: `The form is for some roles, among them ${own.rows.map((role) => role.name).join(' and ')}.`, holds: true }
				: designs
					? { words: `The form is for some roles; who designs forms opens all of them.`, holds: true }
					: { words: `The form is for some roles, none of which ${name} has.`, holds: false }
		);
	}
	return { name, what, lines };
}

async function formRoles(modelId: number, code: string): Promise<{ name: string; roles: number[] }> {
	const found = await pool().query<{ name: string; roles: number[] }>('SELECT name, roles FROM form WHERE model_id = $1 AND code = $2', [
		modelId,
		code
	]);
	if (!found.rows[0]) throw notFound('form');
	return found.rows[0];
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
