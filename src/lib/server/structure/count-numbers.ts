import type { Database } from '../database';

/** How many stored values a model has at some members of a dimension. */
export async function countNumbers(database: Database, modelId: number, dimensionId: number, members: readonly number[]): Promise<number> {
	const isPeriod = await database.query<{ period: boolean }>("SELECT kind = 'period' AS period FROM dimension WHERE id = $1", [
		dimensionId
	]);
	if (isPeriod.rows[0]?.period) return 0;
	const found = await database.query<{ count: number }>(
		`SELECT coalesce(sum(cardinality(array_remove(amounts, NULL))), 0)::integer AS count
		FROM cells_${Math.trunc(modelId)} WHERE d${Math.trunc(dimensionId)} = ANY ($1::integer[])`,
		[members]
	);
	return found.rows[0]!.count;
}
