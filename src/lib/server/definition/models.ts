import type { Database } from '../database';

/** The models a dimension belongs to. */
export async function modelsOf(database: Database, dimensionId: number): Promise<{ id: number; code: string; name: string }[]> {
	return (
		await database.query<{ id: number; code: string; name: string }>(
			'SELECT m.id, m.code, m.name FROM model m JOIN model_dimension md ON md.model_id = m.id WHERE md.dimension_id = $1 ORDER BY m.id',
			[dimensionId]
		)
	).rows;
}

/** The models whose definitions know a dimension: as an axis, as a list of choices, or since their accounts choose from it. */
export async function modelsKnowing(database: Database, dimensionId: number): Promise<{ id: number; code: string; name: string }[]> {
	return (
		await database.query<{ id: number; code: string; name: string }>(
			'SELECT m.id, m.code, m.name FROM model m JOIN known_dimension k ON k.model_id = m.id WHERE k.dimension_id = $1 ORDER BY m.id',
			[dimensionId]
		)
	).rows;
}
