import type { Database } from './pool';

/** Everybody who has a role in a model, by name. */
export async function peopleInModel(database: Database, modelId: number): Promise<{ id: number; name: string }[]> {
	const found = await database.query<{ id: number; name: string }>(
		`SELECT p.id, p.name FROM person p WHERE p.active AND EXISTS (SELECT FROM role_given g
			WHERE (g.person_id = p.id OR g.group_id IN (SELECT group_id FROM people_group_member WHERE person_id = p.id)) AND (g.model_id IS NULL OR g.model_id = $1)) ORDER BY p.name LIMIT 2000`,
		[modelId]
	);
	return found.rows;
}
