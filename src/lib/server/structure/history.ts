import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import type { JournalObject } from '../definition/journal';

/** A change of definitions, with what it said before and after where that is short. */
export interface StructureChange {
	id: number;
	at: string;
	person: string | null;
	words: string;
}

/** The last changes of a model's objects of some kinds; rate sets are shared, so theirs are told in every model. */
export async function structureHistory(
	person: SignedIn | undefined,
	modelId: number,
	kinds: readonly JournalObject['kind'][]
): Promise<StructureChange[]> {
	requirePermission(person, 'structure.read');
	const found = await pool().query<{ id: number; at: Date; person: string | null; words: string }>(
		`SELECT c.id, c.at, p.name AS person, c.words FROM structure_change c LEFT JOIN person p ON p.id = c.person_id
		WHERE EXISTS (SELECT FROM structure_change_object o WHERE o.change_id = c.id AND o.kind = ANY ($2) AND (c.model_id = $1 OR o.kind = 'rate set'))
		ORDER BY c.id DESC LIMIT 20`,
		[modelId, kinds]
	);
	return found.rows.map(({ at, ...change }) => ({ ...change, at: at.toISOString() }));
}
