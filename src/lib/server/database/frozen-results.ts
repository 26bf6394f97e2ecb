import type { FrozenBlock } from '../../core';
import { pack, unpack } from './packed';
import type { Database } from './pool';

/** The results of live formulas that were frozen when their slices were closed. */
export async function readFrozen(database: Database, modelId: number): Promise<FrozenBlock[]> {
	const found = await database.query<{ packed: Buffer }>(
		'SELECT packed FROM frozen_results WHERE model_id = $1 ORDER BY scenario_id, fiscal_year',
		[modelId]
	);
	return Promise.all(found.rows.map(({ packed }) => unpack<FrozenBlock>(packed)));
}

/** Puts others in their place, within the caller's transaction. */
export async function writeFrozen(database: Database, modelId: number, blocks: readonly FrozenBlock[]): Promise<void> {
	await database.query('DELETE FROM frozen_results WHERE model_id = $1', [modelId]);
	for (const block of blocks)
		await database.query('INSERT INTO frozen_results (model_id, scenario_id, fiscal_year, packed) VALUES ($1, $2, $3, $4)', [
			modelId,
			block.scenario,
			block.year,
			await pack(block)
		]);
}
