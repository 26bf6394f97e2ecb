import { z } from 'zod';
import { reachedMembers } from '../access';
import { pool } from '../database';
import { Fault, notSignedIn } from '../fault';
import type { SignedIn } from '../session';

const MOST_FOUND = 40;
/** Of who reads a part of the model, before what is hidden from them is left out. */
const MOST_LOOKED_AT = 20_000;

export const findSchema = z.object({
	dimension: z.coerce.number().int(),
	text: z.string().max(200).default(''),
	/** Leaves hold numbers; parents are what members are made under. */
	of: z.enum(['leaves', 'parents', 'all']).default('leaves')
});

export interface FoundMember {
	id: number;
	code: string;
	name: string;
	/** What it stands under, empty at the top. */
	under: string;
}

/** Members of a dimension of the model whose code or name holds a text, the best matches first. */
export async function findMembers(
	person: SignedIn | undefined,
	modelId: number,
	{ dimension, text, of }: z.infer<typeof findSchema>
): Promise<FoundMember[]> {
	if (!person) throw notSignedIn();
	if (!person.permissions.some((permission) => ['structure.read', 'data.read', 'form.enter', 'access.read'].includes(permission)))
		throw new Fault(403, 'not allowed', 'Your role does not let you look at members. Ask an administrator.');
	const wanted = text.trim().toLowerCase();
	const found = await pool().query<FoundMember>(
		`SELECT m.id, m.code, m.name, coalesce(u.name, '') AS under
		FROM member m JOIN model_dimension d ON d.dimension_id = m.dimension_id AND d.model_id = $1
		JOIN hierarchy h ON h.dimension_id = m.dimension_id AND h.main
		LEFT JOIN hierarchy_node n ON n.hierarchy_id = h.id AND n.member_id = m.id
		LEFT JOIN member u ON u.id = n.parent_id
		WHERE m.dimension_id = $2 AND NOT m.retired AND ($3 = '' OR strpos(lower(m.name), $3) > 0 OR strpos(lower(m.code), $3) > 0)
			AND ($4 = 'all' OR ($4 = 'leaves') = NOT EXISTS (SELECT FROM hierarchy_node c WHERE c.parent_id = m.id AND c.hierarchy_id = h.id))
		ORDER BY lower(m.code) = $3 DESC, starts_with(lower(m.name), $3) DESC, starts_with(lower(m.code), $3) DESC, n.position, m.id LIMIT ${person.readsPart ? MOST_LOOKED_AT : MOST_FOUND}`,
		[modelId, dimension, wanted, of]
	);
	const seen = await reachedMembers(
		person,
		modelId,
		dimension,
		found.rows.map(({ id }) => id)
	);
	return found.rows.filter((_, index) => seen[index]).slice(0, MOST_FOUND);
}
