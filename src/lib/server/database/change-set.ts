import type pg from 'pg';
import { copyRows, writeSeries } from './cells';
import { packSeries, type SeriesChange } from './series';

/** First key of the lock under which a model's revisions are given: any number, the same in every server. */
const REVISION_LOCK = 7201;

/** Series a packed block of the journal holds at most. */
const SERIES_PER_BLOCK = 5_000;

export interface ChangeSetHead {
	modelId: number;
	person: number | null;
	kind: 'save' | 'load' | 'structure';
	/** What it came through: a form's or an import's name. */
	through: string;
	cells: number;
}

/** One typed cell in the journal; members and period as ids. */
export interface EntryChange {
	origin: number;
	address: ArrayLike<number>;
	period: number;
	before: number;
	after: number;
	/** What proposals and additions came to beneath it when it was typed. */
	beneath: number;
}

/**
 * Takes the model's write lock for the rest of the transaction and tells the latest revision. Everything written
 * elsewhere up to that revision is visible from here on, and nothing can come between.
 */
export async function lockModel(client: pg.PoolClient, modelId: number): Promise<number> {
	await client.query('SELECT pg_advisory_xact_lock($1, $2)', [REVISION_LOCK, modelId]);
	const found = await client.query<{ revision: number }>('SELECT revision FROM model WHERE id = $1', [modelId]);
	if (!found.rows[0]) throw new Error(`There is no model ${modelId}.`);
	return found.rows[0].revision;
}

/**
 * Posts one change set: gives it the next revision, writes the series and the journal. The caller holds the model's
 * lock (`lockModel`) and commits.
 * @param dimensionIds the model's dimensions in address order, the period left out
 * @param series whole series as they shall stand afterwards, with what stood there
 * @param entries for typed cells, each one; without them the journal keeps the series in packed blocks
 * @returns the revision
 */
export async function postChangeSet(
	client: pg.PoolClient,
	head: ChangeSetHead,
	dimensionIds: readonly number[],
	series: readonly SeriesChange[],
	entries?: readonly EntryChange[]
): Promise<number> {
	const { modelId } = head;
	const given = await client.query<{ revision: number }>('UPDATE model SET revision = revision + 1 WHERE id = $1 RETURNING revision', [
		modelId
	]);
	const revision = given.rows[0]!.revision;
	await client.query('INSERT INTO change_set (model_id, revision, person_id, kind, through, cells) VALUES ($1, $2, $3, $4, $5, $6)', [
		modelId,
		revision,
		head.person,
		head.kind,
		head.through,
		head.cells
	]);
	await writeSeries(client, modelId, dimensionIds, revision, series);
	if (entries)
		await copyRows(
			client,
			'COPY entry_change (model_id, revision, origin_id, address, period_id, before, after, beneath) FROM STDIN',
			entries,
			(entry) =>
				[
					modelId,
					revision,
					entry.origin,
					`{${Array.from(entry.address).join(',')}}`,
					entry.period,
					orNull(entry.before),
					orNull(entry.after),
					orNull(entry.beneath)
				].join('\t') + '\n'
		);
	else
		for (let part = 0; part * SERIES_PER_BLOCK < series.length; part++) {
			const block = series.slice(part * SERIES_PER_BLOCK, (part + 1) * SERIES_PER_BLOCK);
			await client.query('INSERT INTO block_change (model_id, revision, part, series, packed) VALUES ($1, $2, $3, $4, $5)', [
				modelId,
				revision,
				part,
				block.length,
				packSeries(block)
			]);
		}
	// Only a hint: servers poll as well.
	await client.query("SELECT pg_notify('revision', $1)", [`${modelId} ${revision}`]);
	return revision;
}

const orNull = (value: number): string => (value === value ? String(value) : '\\N');
