import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';
import type pg from 'pg';
import { widenCellTable } from './cells';
import { axisColumn, placeOnAxis, widenPacked, type AxisPlacing } from './series';

const pack = promisify(deflate);
const unpack = promisify(inflate);

/** Tables that name leaf cells by an address, and which of their rows are a model's. */
const ADDRESSES = [
	// What was written with other dimensions stays as it was written.
	{ table: 'entry_change', own: 'model_id = $1 AND revision > (SELECT journal_from FROM model WHERE id = $1)' },
	{ table: 'figure_moved', own: 'model_id = $1' },
	{ table: 'draft_cell', own: 'draft_id IN (SELECT id FROM draft WHERE model_id = $1)' },
	{ table: 'branch_series', own: 'branch_id IN (SELECT id FROM branch WHERE model_id = $1)' },
	{ table: 'draft_trial_cell', own: 'draft_id IN (SELECT id FROM draft WHERE model_id = $1)' }
] as const;

/** Tables that name figures of any level by a place, the period last, if it has one. */
const PLACES = [
	{ table: 'note', hasPeriod: true },
	{ table: 'detail_line', hasPeriod: true },
	{ table: 'cell_link', hasPeriod: true },
	{ table: 'row_method', hasPeriod: false }
] as const;

/**
 * Gives every address of a model one more member: cells, journal, drafts with their undo, batches, and what stands beside
 * figures. The model's dimensions say already that there is one more. The caller's transaction holds all that writes off.
 * @param shown the member at which forms show figures of the dimension: there notes and the like are looked for
 */
export async function widenModel(client: pg.PoolClient, modelId: number, placing: AxisPlacing, shown: number): Promise<void> {
	const { rows: dimensions } = await client.query<{ id: number; code: string }>(
		`SELECT d.id, d.code FROM model_dimension m JOIN dimension d ON d.id = m.dimension_id
		WHERE m.model_id = $1 AND d.kind <> 'period' ORDER BY m.position`,
		[modelId]
	);
	// First: whoever is typing sees that the draft has moved on.
	await client.query('UPDATE draft SET version = version + 1 WHERE model_id = $1', [modelId]);
	await client.query('UPDATE branch SET version = version + 1 WHERE model_id = $1', [modelId]);
	await client.query('UPDATE branch_series s SET version = b.version FROM branch b WHERE b.id = s.branch_id AND b.model_id = $1', [
		modelId
	]);
	await widenCellTable(client, modelId, dimensions, placing);
	for (const { table, own } of ADDRESSES) await widenArrays(client, modelId, table, own, placing);
	const width = dimensions.length - 1;
	for (const { table, hasPeriod } of PLACES)
		await client.query(
			`UPDATE ${table} SET place = place[1:${width}] || $2::integer ${hasPeriod ? `|| place[${width + 1}:]` : ''} WHERE model_id = $1`,
			[modelId, shown]
		);
	await widenDraftNotes(client, modelId, placing);
	await widenJournal(client, modelId, placing);
	const batches = await client.query<{ id: number }>(
		`SELECT b.id FROM batch b JOIN import i ON i.id = b.import_id JOIN model m ON m.id = i.model_id
		WHERE i.model_id = $1 AND coalesce(b.revision > m.journal_from, true)`,
		[modelId]
	);
	for (const { id } of batches.rows) await widenBatch(client, id, placing);
}

async function widenArrays(client: pg.PoolClient, modelId: number, table: string, own: string, placing: AxisPlacing): Promise<void> {
	const by = placing.by === undefined ? undefined : placing.by + 1;
	if (by === undefined) {
		await client.query(`UPDATE ${table} SET address = address || $2::integer WHERE ${own}`, [modelId, placing.otherwise]);
		return;
	}
	await client.query(
		`UPDATE ${table} t SET address = t.address || coalesce(
			(SELECT goes FROM unnest($3::integer[], $4::integer[]) AS p (at, goes) WHERE p.at = t.address[${by}]), $2::integer)
		WHERE ${own}`,
		[modelId, placing.otherwise, [...placing.members.keys()], [...placing.members.values()]]
	);
}

/** What undo and bringing back keep of cells. */
async function widenDraftNotes(client: pg.PoolClient, modelId: number, placing: AxisPlacing): Promise<void> {
	for (const [table, column, key] of [
		['draft_step', 'changes', 'sequence'],
		['draft_discarded', 'cells', 'form_id']
	] as const) {
		const found = await client.query<{ draft: number; key: number; cells: { address: number[] }[] }>(
			`SELECT t.draft_id AS draft, t.${key} AS key, t.${column} AS cells FROM ${table} t JOIN draft d ON d.id = t.draft_id WHERE d.model_id = $1`,
			[modelId]
		);
		for (const { draft, key: of, cells } of found.rows) {
			const wider = cells.map((cell) => ({ ...cell, address: [...cell.address, placeOnAxis(placing, cell.address)] }));
			await client.query(`UPDATE ${table} SET ${column} = $3 WHERE draft_id = $1 AND ${key} = $2`, [draft, of, JSON.stringify(wider)]);
		}
	}
}

/** Blocks of loads and runs, one after the other: a journal may be larger than memory. */
async function widenJournal(client: pg.PoolClient, modelId: number, placing: AxisPlacing): Promise<void> {
	const blocks = await client.query<{ set: number; part: number }>(
		`SELECT b.change_set AS set, b.part FROM block_change b JOIN model m ON m.id = b.model_id
		LEFT JOIN change_set c ON c.model_id = b.model_id AND c.number = b.change_set
		WHERE b.model_id = $1 AND coalesce(c.revision > m.journal_from, true) ORDER BY b.change_set, b.part`,
		[modelId]
	);
	for (const { set, part } of blocks.rows) {
		const key = [modelId, set, part];
		const found = await client.query<{ packed: Buffer }>(
			'SELECT packed FROM block_change WHERE model_id = $1 AND change_set = $2 AND part = $3',
			key
		);
		await client.query('UPDATE block_change SET packed = $4 WHERE model_id = $1 AND change_set = $2 AND part = $3', [
			...key,
			await widenPacked(found.rows[0]!.packed, placing)
		]);
	}
}

/** The addresses a batch wrote to, side by side in columns. */
async function widenBatch(client: pg.PoolClient, batchId: number, placing: AxisPlacing): Promise<void> {
	const found = await client.query<{ block: number; series: number; packed: Buffer }>(
		'SELECT block, series, packed FROM batch_series WHERE batch_id = $1 ORDER BY block',
		[batchId]
	);
	for (const { block, series, packed } of found.rows) {
		const bytes = await unpack(packed);
		const columns = new Int32Array(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength));
		const added = axisColumn(placing, columns, series);
		await client.query('UPDATE batch_series SET packed = $3 WHERE batch_id = $1 AND block = $2', [
			batchId,
			block,
			await pack(Buffer.concat([bytes, Buffer.from(added.buffer, added.byteOffset, added.byteLength)]), { level: 1 })
		]);
	}
}
