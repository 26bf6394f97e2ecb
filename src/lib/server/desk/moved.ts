import { pool } from '../database';
import { addressDimensions } from '../database/definitions';
import { requirePermission, type SignedIn } from '../session';

/** A figure that shows something else since results stand in place of what was there, instead of adding to it. */
export interface MovedFigure {
	words: string;
	before: number | null;
	after: number | null;
}

/** Figures listed at once. */
const MOST_LISTED = 100;

/** What the change of rule moved, until somebody who keeps the structure has seen it. */
export async function movedFigures(person: SignedIn, modelId: number): Promise<{ count: number; figures: MovedFigure[] }> {
	if (!person.permissions.includes('structure.write')) return { count: 0, figures: [] };
	const counted = await pool().query<{ count: number }>('SELECT count(*)::integer AS count FROM figure_moved WHERE model_id = $1', [
		modelId
	]);
	const { count } = counted.rows[0]!;
	if (count === 0) return { count, figures: [] };
	const dimensions = await addressDimensions(pool(), modelId);
	const found = await pool().query<MovedFigure>(
		`SELECT (SELECT string_agg(m.name, ' · ' ORDER BY a.place) FROM unnest(f.address) WITH ORDINALITY a (member, place) JOIN member m ON m.id = a.member)
				|| ' · ' || coalesce((SELECT m.name FROM period p JOIN member m ON m.id = p.member_id
					JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = f.model_id
					WHERE p.fiscal_year = f.fiscal_year AND NOT EXISTS (SELECT FROM hierarchy_node n WHERE n.parent_id = m.id)
					ORDER BY p.start_date OFFSET greatest(f.place - 1, 0) LIMIT 1), f.fiscal_year::text) AS words, f.before, f.after
		FROM figure_moved f WHERE f.model_id = $1 AND cardinality(f.address) = $2
		ORDER BY abs(coalesce(f.after, 0) - coalesce(f.before, 0)) DESC LIMIT ${MOST_LISTED}`,
		[modelId, dimensions.length]
	);
	return { count, figures: found.rows };
}

/** They have been seen: they are not listed again. */
export async function forgetMoved(person: SignedIn | undefined, modelId: number): Promise<void> {
	requirePermission(person, 'structure.write');
	await pool().query('DELETE FROM figure_moved WHERE model_id = $1', [modelId]);
}
