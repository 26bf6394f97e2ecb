import { Fault } from '../fault';
import { addressDimensions } from './definitions';
import type { Database } from './pool';

/** A stretch of a model's journal and the dimensions its addresses have. */
export interface JournalStretch {
	/** Revisions after `from` and up to `to`. */
	from: number;
	to: number;
	/** Dimensions (ids) in address order, the period left out. */
	dimensions: number[];
}

/** The journal of a model by what its addresses mean, oldest first; most models have one stretch. */
export async function journalStretches(database: Database, modelId: number): Promise<JournalStretch[]> {
	const found = await database.query<{ until: number; dimensions: number[] }>(
		'SELECT until, dimensions FROM model_shape WHERE model_id = $1 ORDER BY until',
		[modelId]
	);
	let from = 0;
	const stretches = found.rows.map(({ until, dimensions }) => {
		const stretch = { from, to: until, dimensions };
		from = until;
		return stretch;
	});
	return [...stretches, { from, to: Number.MAX_SAFE_INTEGER, dimensions: await addressDimensions(database, modelId) }];
}

/** The dimensions that addresses of a change set have. */
export async function dimensionsAt(database: Database, modelId: number, revision: number): Promise<number[]> {
	const stretches = await journalStretches(database, modelId);
	return stretches.find(({ to }) => revision <= to)!.dimensions;
}

/** Only what was written with the dimensions of today can be taken back. @throws Fault 409 */
export async function refuseOfOtherShape(database: Database, modelId: number, revision: number): Promise<void> {
	const found = await database.query<{ before: boolean }>('SELECT journal_from >= $2 AS before FROM model WHERE id = $1', [
		modelId,
		revision
	]);
	if (found.rows[0]?.before)
		throw new Fault(409, 'other dimensions', 'A dimension has been taken out of the model since, so this cannot be taken back any more.');
}
