import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import type { Namer } from './settings';

/** What a round of a model can be made of. */
export async function roundChoices(person: SignedIn | undefined, modelId: number) {
	requirePermission(person, 'cycle.write');
	const IN_MODEL = 'JOIN model_dimension o ON o.dimension_id = m.dimension_id AND o.model_id = $1';
	const [scenarios, periods, dimensions, namers, forms, people] = await Promise.all([
		pool().query<{ id: number; name: string; isOpen: boolean; from: number | null; to: number | null }>(
			`SELECT m.id, m.name, s.entry_from IS NOT NULL AS "isOpen", coalesce(s.entry_from, s.span_from) AS "from", coalesce(s.entry_to, s.span_to) AS "to"
			FROM member m ${IN_MODEL} JOIN scenario s ON s.member_id = m.id WHERE NOT m.retired ORDER BY m.id`,
			[modelId]
		),
		pool().query<{ id: number; name: string }>(
			`SELECT m.id, m.name FROM member m ${IN_MODEL} JOIN period p ON p.member_id = m.id
			WHERE NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = m.id) ORDER BY p.start_date`,
			[modelId]
		),
		pool().query<{ id: number; name: string; kind: string }>(
			`SELECT d.id, d.name, d.kind FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
			WHERE d.kind IN ('entity', 'general') ORDER BY o.position`,
			[modelId]
		),
		pool().query<Namer & { words: string }>(
			`SELECT d.id AS dimension, f.by, f.words || ' of ' || d.name AS words FROM dimension d JOIN model_dimension o ON o.dimension_id = d.id AND o.model_id = $1
			CROSS JOIN LATERAL (
				SELECT to_jsonb('owner'::text) AS by, 'Owner' AS words WHERE d.kind = 'entity' UNION ALL SELECT to_jsonb('reviewers'::text), 'Reviewers' WHERE d.kind = 'entity'
				UNION ALL SELECT to_jsonb(a.id), a.name FROM attribute a WHERE a.dimension_id = d.id AND a.type = 'person') AS f
			ORDER BY o.position, words`,
			[modelId]
		),
		pool().query<{ id: number; name: string; checks: number }>(
			`SELECT id, name, CASE WHEN jsonb_typeof(layout -> 'checks') = 'array' THEN jsonb_array_length(layout -> 'checks') ELSE 0 END AS checks
			FROM form WHERE model_id = $1 AND owner_id IS NULL ORDER BY name`,
			[modelId]
		),
		pool().query<{ id: number; name: string }>(
			`SELECT DISTINCT p.id, p.name FROM person p JOIN person_role r ON r.person_id = p.id AND (r.model_id IS NULL OR r.model_id = $1)
			JOIN role_permission g ON g.role_id = r.role_id AND g.permission = 'cycle.read' WHERE p.active ORDER BY p.name`,
			[modelId]
		)
	]);
	return {
		scenarios: scenarios.rows,
		periods: periods.rows,
		dimensions: dimensions.rows,
		namers: namers.rows,
		forms: forms.rows,
		people: people.rows
	};
}
