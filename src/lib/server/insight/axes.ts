/** What a model is looked at by: its dimensions, as views and boards begin with them. */
import type { ViewAxis } from '../../core';
import { reachedMembers } from '../access';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { requirePermission, type SignedIn } from '../session';

export interface InsightAxis extends ViewAxis {
	code: string;
	name: string;
	/** Of periods: by member (id) how many places of its length make a year. */
	yearOf?: Record<number, number>;
}

/** The dimensions of a model in address order, each with the member a reader begins at. */
export async function axesOf(person: SignedIn | undefined, modelId: number): Promise<InsightAxis[]> {
	const reader = requirePermission(person, 'form.read');
	const { structure } = await modelVersions(pool(), modelId);
	const kept = known.get(modelId);
	const fresh = kept && kept.structure === structure && kept.until > Date.now() ? kept : undefined;
	const axes = fresh?.axes ?? readAxes(modelId);
	if (!fresh) {
		known.set(modelId, { structure, until: Date.now() + KEPT_MILLISECONDS, axes });
		// What could not be read is asked for anew.
		axes.catch(() => known.delete(modelId));
	}
	const all = await axes;
	return Promise.all(
		all.map(async ({ usual, ...axis }): Promise<InsightAxis> => {
			const seen = await reachedMembers(reader, modelId, axis.id, axis.tops);
			const reached = axis.tops.filter((_, index) => seen[index]);
			const first =
				usual !== undefined && reached.includes(usual)
					? usual
					: axis.kind === 'period'
						? reached[Math.floor(reached.length / 2)]
						: reached[0];
			return { ...axis, top: first ?? 0, tops: reached };
		})
	);
}

/** An axis as it is for everybody, with the member one stands at as a rule. */
type SharedAxis = Omit<InsightAxis, 'top'> & { usual: number | undefined };

/** By model (id): asked for with every figure typed on a board, and changed with the structure or a form. */
const known = new Map<number, { structure: number; until: number; axes: Promise<SharedAxis[]> }>();
const KEPT_MILLISECONDS = 10_000;

async function readAxes(modelId: number): Promise<SharedAxis[]> {
	const dimensions = await pool().query<Omit<InsightAxis, 'top' | 'currency'>>(
		`SELECT d.id, d.code, d.name, d.kind, (SELECT count(*)::integer FROM member m WHERE m.dimension_id = d.id) AS members,
			coalesce((SELECT array_agg(n.member_id ORDER BY (SELECT count(*) FROM hierarchy_node c WHERE c.hierarchy_id = n.hierarchy_id AND c.parent_id = n.member_id) > 0 DESC, n.position)
				FROM hierarchy h JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.parent_id IS NULL JOIN member t ON t.id = n.member_id AND NOT t.retired
				WHERE h.dimension_id = d.id AND h.main), '{}') AS tops
		FROM model_dimension md JOIN dimension d ON d.id = md.dimension_id WHERE md.model_id = $1 ORDER BY md.position`,
		[modelId]
	);
	const currency = await pool().query<{ code: string }>(
		'SELECT currency AS code FROM model_currency WHERE model_id = $1 ORDER BY position LIMIT 1',
		[modelId]
	);
	// The year in which a scenario takes entries first: what people are about now.
	const open = await pool().query<{ year: number }>(
		`SELECT y.member_id AS year FROM scenario s JOIN member sm ON sm.id = s.member_id JOIN model_dimension md ON md.dimension_id = sm.dimension_id AND md.model_id = $1
		JOIN period p ON p.member_id = s.entry_from JOIN member pm ON pm.id = p.member_id
		JOIN period y ON y.level = 'year' AND y.fiscal_year = p.fiscal_year JOIN member ym ON ym.id = y.member_id AND ym.dimension_id = pm.dimension_id
		ORDER BY p.start_date LIMIT 1`,
		[modelId]
	);
	// Periods of a year and a length, counted: a year before a month lie twelve places, or thirteen of another calendar.
	const lengths = await pool().query<{ member: number; places: number }>(
		`SELECT p.member_id AS member, count(*) OVER (PARTITION BY m.dimension_id, p.fiscal_year, p.level)::integer AS places
		FROM period p JOIN member m ON m.id = p.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id WHERE md.model_id = $1`,
		[modelId]
	);
	const yearOf = Object.fromEntries(lengths.rows.map(({ member, places }) => [member, places]));
	const usual = await usualMembers(modelId);
	return dimensions.rows.map((dimension) => ({
		...dimension,
		currency: currency.rows[0]?.code ?? 'EUR',
		usual: usual.get(dimension.id) ?? (dimension.kind === 'period' ? open.rows[0]?.year : undefined),
		...(dimension.kind === 'period' && { yearOf })
	}));
}

/** By dimension (id): the member at which forms stand most often, else of scenarios the one that is planned in. */
async function usualMembers(modelId: number): Promise<Map<number, number>> {
	const stood = await pool().query<{ dimension: number; member: number }>(
		`SELECT DISTINCT ON (dimension) dimension, member FROM (
			SELECT (part ->> 'dimension')::integer AS dimension, coalesce(part ->> 'initial', part ->> 'member')::integer AS member, count(*) AS times
			FROM form f, jsonb_array_elements((f.layout -> 'selectors') || (f.layout -> 'pinned')) AS part WHERE f.model_id = $1 AND f.owner_id IS NULL GROUP BY 1, 2) AS counted
		ORDER BY dimension, times DESC, member`,
		[modelId]
	);
	const planned = await pool().query<{ dimension: number; member: number }>(
		`SELECT m.dimension_id AS dimension, m.id AS member FROM scenario s JOIN member m ON m.id = s.member_id JOIN model_dimension md ON md.dimension_id = m.dimension_id
		JOIN period p ON p.member_id = s.entry_from WHERE md.model_id = $1 AND NOT m.retired ORDER BY p.start_date LIMIT 1`,
		[modelId]
	);
	return new Map([...planned.rows, ...stood.rows].map(({ dimension, member }) => [dimension, member]));
}
