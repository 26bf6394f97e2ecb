import type pg from 'pg';
import type { SignedIn } from '../session';

/**
 * Lets whoever has made a model work in it: a grant for everything, and, where their roles hold in single models only, those
 * by which they could make it.
 */
export async function letMakerIn(client: pg.PoolClient, maker: SignedIn, modelId: number): Promise<void> {
	await client.query("INSERT INTO access_grant (model_id, person_id, name, level) VALUES ($1, $2, 'Everything', 'write')", [
		modelId,
		maker.id
	]);
	if (maker.everywhere?.includes('structure.write')) return;
	await client.query(
		`INSERT INTO role_given (role_id, person_id, model_id)
		SELECT DISTINCT r.role_id, r.person_id, $2::integer FROM person_role r JOIN role_permission p ON p.role_id = r.role_id
		WHERE r.person_id = $1 AND r.model_id IS NOT NULL AND p.permission = 'structure.write' ON CONFLICT DO NOTHING`,
		[maker.id, modelId]
	);
}
