/** What a branch can be limited to, and at which rates it can be read. */
import { pool } from '../database';
import { requirePermission, type SignedIn } from '../session';
import { partChoices, type PartChoice } from './snapshots';

export interface BranchTerms {
	parts: PartChoice[];
	/** Rate sets a scenario of the model names: those that can be replaced. */
	ratesInUse: { id: number; name: string }[];
	/** Those that can be read in their place. */
	rates: { id: number; name: string }[];
}

export async function branchTerms(person: SignedIn | undefined, modelId: number): Promise<BranchTerms> {
	const maker = requirePermission(person, 'branch.write');
	const found = await pool().query<{ id: number; name: string; used: boolean }>(
		`SELECT r.id, r.name, EXISTS (SELECT FROM scenario s JOIN member m ON m.id = s.member_id JOIN model_dimension d ON d.dimension_id = m.dimension_id
			WHERE d.model_id = $1 AND (s.rate_set_id = r.id OR EXISTS (SELECT FROM scenario_rates l WHERE l.member_id = s.member_id AND l.rate_set_id = r.id))) AS used
		FROM rate_set r ORDER BY r.name`,
		[modelId]
	);
	const named = (rows: typeof found.rows) => rows.map(({ id, name }) => ({ id, name }));
	return {
		parts: await partChoices(maker, modelId),
		ratesInUse: named(found.rows.filter(({ used }) => used)),
		rates: named(found.rows)
	};
}
