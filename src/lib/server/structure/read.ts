import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';

export interface DimensionSummary {
	id: number;
	code: string;
	name: string;
	kind: string;
	members: number;
	/** Other models it belongs to. */
	sharedWith: string[];
}

/** The model's dimensions, in order. */
export async function listDimensions(person: SignedIn | undefined, modelId: number): Promise<DimensionSummary[]> {
	const reader = requirePermission(person, 'structure.read');
	return (
		await pool().query<DimensionSummary>(
			`SELECT d.id, d.code, d.name, d.kind, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members,
				coalesce((SELECT array_agg(o.name ORDER BY o.id) FROM model_dimension x JOIN model o ON o.id = x.model_id
					WHERE x.dimension_id = d.id AND x.model_id <> $1
						AND EXISTS (SELECT FROM person_role r WHERE r.person_id = $2 AND (r.model_id IS NULL OR r.model_id = o.id))), '{}') AS "sharedWith"
			FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position`,
			[modelId, reader.id]
		)
	).rows;
}

/**
 * What a new model may share: for the page that makes one.
 * @param models those the person may work in: of dimensions that only others have they learn nothing
 */
export async function newModelChoices(
	person: SignedIn | undefined,
	models: readonly { id: number; name: string }[]
): Promise<{
	models: readonly { id: number; name: string }[];
	dimensions: { code: string; name: string; kind: string; members: number; models: string[] }[];
}> {
	requirePermission(person, 'structure.write');
	const dimensions = await pool().query<{ code: string; name: string; kind: string; members: number; models: string[] }>(
		`SELECT d.code, d.name, d.kind, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members,
			coalesce((SELECT array_agg(o.name ORDER BY o.id) FROM model_dimension x JOIN model o ON o.id = x.model_id WHERE x.dimension_id = d.id AND o.id = ANY ($1)), '{}') AS models
		FROM dimension d WHERE d.kind IN ('account', 'entity', 'general')
			AND (EXISTS (SELECT FROM model_dimension x WHERE x.dimension_id = d.id AND x.model_id = ANY ($1))
				OR NOT EXISTS (SELECT FROM model_dimension x WHERE x.dimension_id = d.id)) ORDER BY d.id`,
		[models.map(({ id }) => id)]
	);
	return { models, dimensions: dimensions.rows };
}
