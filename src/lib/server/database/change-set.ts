import type pg from 'pg';
import { actingNow } from '../acting';
import { addSeries, copyRows, writeSeries } from './cells';
import { packSeries, type SeriesChange } from './series';
import { lockDrafts, lockRevisions, lockRuns, waitForLoads } from './locks';

/** Series a packed block of the journal holds at most. */
const SERIES_PER_BLOCK = 5_000;

export interface ChangeSetHead {
	modelId: number;
	person: number | null;
	/** Who acts for them, where it is not known from what the thread does at the moment. */
	acting?: number | null;
	kind: 'save' | 'load' | 'structure' | 'take back' | 'run';
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
	await lockRevisions(client, modelId);
	const found = await client.query<{ revision: number }>('SELECT revision FROM model WHERE id = $1', [modelId]);
	if (!found.rows[0]) throw new Error(`There is no model ${modelId}.`);
	return found.rows[0].revision;
}

/**
 * Holds a whole model: nobody runs, loads, types or saves in it until the transaction ends.
 * @returns the latest revision
 */
export async function holdModel(client: pg.PoolClient, modelId: number): Promise<number> {
	await lockRuns(client, modelId);
	await waitForLoads(client, modelId);
	await lockDrafts(client, modelId);
	return lockModel(client, modelId);
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
	const number = await numberChangeSet(client);
	if (entries) {
		const revision = await giveRevision(client, head, number, null);
		await writeSeries(client, head.modelId, dimensionIds, number, series);
		await journalEntries(client, head.modelId, revision, entries);
		return revision;
	}
	const prepared = new PreparedChangeSet(client, head.modelId, dimensionIds, number);
	await prepared.write(series);
	return prepared.post(head);
}

/** The number of a change set that is being prepared. */
export async function numberChangeSet(client: pg.PoolClient): Promise<number> {
	const given = await client.query<{ number: number }>("SELECT nextval('change_set_number') AS number");
	return given.rows[0]!.number;
}

/**
 * A change set written in parts before it has a revision: nobody sees it until the caller commits, and the model's lock
 * is needed only for the last step. The caller sees to it that nothing else writes the same origins meanwhile.
 */
export class PreparedChangeSet {
	readonly #client: pg.PoolClient;
	readonly #modelId: number;
	readonly #dimensionIds: readonly number[];
	readonly number: number;
	#part = 0;
	readonly #origins = new Set<number>();

	constructor(client: pg.PoolClient, modelId: number, dimensionIds: readonly number[], number: number) {
		this.#client = client;
		this.#modelId = modelId;
		this.#dimensionIds = dimensionIds;
		this.number = number;
	}

	/**
	 * Writes series and their journal.
	 * @param fresh whether none of them stands in the table yet
	 */
	async write(series: readonly SeriesChange[], fresh = false): Promise<void> {
		if (series.length === 0) return;
		for (const { origin } of series) this.#origins.add(origin);
		const blocks = Array.from({ length: Math.ceil(series.length / SERIES_PER_BLOCK) }, (_, index) =>
			series.slice(index * SERIES_PER_BLOCK, (index + 1) * SERIES_PER_BLOCK)
		);
		// Compressed while the database takes the rows.
		const packing = Promise.all(blocks.map(packSeries));
		packing.catch(() => {});
		await (fresh ? addSeries : writeSeries)(this.#client, this.#modelId, this.#dimensionIds, this.number, series);
		for (const [index, packed] of (await packing).entries())
			await this.#client.query('INSERT INTO block_change (model_id, change_set, part, series, packed) VALUES ($1, $2, $3, $4, $5)', [
				this.#modelId,
				this.number,
				this.#part++,
				blocks[index]!.length,
				packed
			]);
	}

	/** Gives it the next revision. The caller holds the model's lock and commits at once. @returns the revision */
	post(head: ChangeSetHead): Promise<number> {
		return giveRevision(this.#client, head, this.number, [...this.#origins]);
	}
}

async function giveRevision(client: pg.PoolClient, head: ChangeSetHead, number: number, origins: number[] | null): Promise<number> {
	const { modelId } = head;
	const given = await client.query<{ revision: number }>('UPDATE model SET revision = revision + 1 WHERE id = $1 RETURNING revision', [
		modelId
	]);
	const revision = given.rows[0]!.revision;
	await client.query(
		'INSERT INTO change_set (model_id, revision, number, person_id, kind, through, cells, origins, acting_id) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)',
		[modelId, revision, number, head.person, head.kind, head.through, head.cells, origins, head.acting ?? actingNow()]
	);
	// Only a hint: servers poll as well.
	await client.query("SELECT pg_notify('revision', $1)", [`${modelId} ${revision}`]);
	return revision;
}

function journalEntries(client: pg.PoolClient, modelId: number, revision: number, entries: readonly EntryChange[]): Promise<void> {
	return copyRows(
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
				// Nothing beneath is known to be nothing; of entries of earlier versions it is not known.
				String(entry.beneath)
			].join('\t') + '\n'
	);
}

const orNull = (value: number): string => (value === value ? String(value) : '\\N');
