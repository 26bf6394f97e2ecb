import type { Database } from '../database/pool';
import { unpackSeries } from '../database/series';

/** A change of the journal to be applied to a cube; ids. */
export type JournalChange =
	| { kind: 'cell'; origin: number; address: number[]; period: number; value: number }
	| {
			kind: 'series';
			origin: number;
			address: ArrayLike<number>;
			year: number;
			amounts: Float64Array;
			before: Float64Array;
			stamps: number | Float64Array;
	  };

/** The changes of one change set, in the order they were posted. */
export async function changesOf(database: Database, modelId: number, revision: number): Promise<JournalChange[]> {
	const entries = await database.query<{ origin: number; address: number[]; period: number; after: number | null }>(
		'SELECT origin_id AS origin, address, period_id AS period, after FROM entry_change WHERE model_id = $1 AND revision = $2',
		[modelId, revision]
	);
	const blocks = await database.query<{ packed: Buffer }>(
		`SELECT b.packed FROM block_change b JOIN change_set c ON c.model_id = b.model_id AND c.number = b.change_set
		WHERE b.model_id = $1 AND c.revision = $2 ORDER BY b.part`,
		[modelId, revision]
	);
	return [
		...entries.rows.map(({ origin, address, period, after }) => ({
			kind: 'cell' as const,
			origin,
			address,
			period,
			value: after ?? Number.NaN
		})),
		...blocks.rows.flatMap(({ packed }) =>
			unpackSeries(packed).map(({ origin, members, year, amounts, before, stamps }) => ({
				kind: 'series' as const,
				origin,
				address: members,
				year,
				amounts,
				before,
				// Those of the change set itself are given by its revision.
				stamps: stamps?.map((stamp) => (stamp === 0 ? revision : stamp)) ?? revision
			}))
		)
	];
}
