import { promisify } from 'node:util';
import { deflate, inflate } from 'node:zlib';
import type { SeriesStore } from '../../../core';
import { pool } from '../../database';
import { dimensionsAt } from '../../database/shape';

const pack = promisify(deflate);
const unpack = promisify(inflate);

/** Entries (a row's cells) kept together at least. */
const ENTRIES = 20_000;

/** Which row became which cell: a run of entries, in the file's order. */
export interface RowEntries {
	lines: Int32Array;
	/** Number of the block, and of the series in it. */
	blocks: Uint16Array;
	series: Int32Array;
	/** Place within the fiscal year. */
	positions: Uint16Array;
	amounts: Float64Array;
}

/** Entries a run holds at most: a chunk of the file may bring more than a run needs. */
const FIRST_CAPACITY = 65_536;

/** Collects entries while rows are read and stores them in runs; memory stays flat. */
export class RowIndexWriter {
	readonly #batchId: number;
	#count = 0;
	#lines = new Int32Array(FIRST_CAPACITY);
	#series = new Int32Array(FIRST_CAPACITY);
	#amounts = new Float64Array(FIRST_CAPACITY);
	#positions = new Uint16Array(FIRST_CAPACITY);
	#blocks = new Uint16Array(FIRST_CAPACITY);
	#part = 0;
	#from = -1;
	#to = 0;
	#nextLine = 1;
	#last: Promise<unknown> = Promise.resolve();

	constructor(batchId: number) {
		this.#batchId = batchId;
	}

	add(line: number, block: number, series: number, position: number, amount: number): void {
		if (this.#count === this.#lines.length) this.#grow();
		const at = this.#count++;
		this.#lines[at] = line;
		this.#blocks[at] = block;
		this.#series[at] = series;
		this.#positions[at] = position;
		this.#amounts[at] = amount;
	}

	/** After each chunk of the file: stores what has come together. @param from, to where in the file the chunk stands; `nextLine` begins behind it */
	async chunkRead(from: number, to: number, nextLine: number, isLast = false): Promise<void> {
		if (this.#from < 0) this.#from = from;
		this.#to = to;
		this.#nextLine = nextLine;
		const count = this.#count;
		if (count === 0 || (count < ENTRIES && !isLast)) return;
		await this.#last;
		// Copies: the columns are filled anew while these are compressed.
		const columns = [this.#lines, this.#series, this.#amounts, this.#positions, this.#blocks].map((column) => {
			const own = column.slice(0, count);
			return Buffer.from(own.buffer, own.byteOffset, own.byteLength);
		});
		const head = [this.#lines[0]!, this.#lines[count - 1]!, this.#from, to, nextLine, count];
		this.#count = 0;
		this.#from = to;
		const part = this.#part++;
		this.#last = pack(Buffer.concat(columns), { level: 1 }).then((packed) =>
			pool().query(
				'INSERT INTO batch_rows (batch_id, part, first_line, last_line, file_from, file_to, next_line, entries, packed) VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9)',
				[this.#batchId, part, ...head, packed]
			)
		);
		this.#last.catch(() => {});
	}

	#grow(): void {
		const larger = <Column extends Int32Array | Float64Array | Uint16Array>(column: Column, into: Column): Column => {
			into.set(column);
			return into;
		};
		const capacity = this.#lines.length * 2;
		this.#lines = larger(this.#lines, new Int32Array(capacity));
		this.#series = larger(this.#series, new Int32Array(capacity));
		this.#amounts = larger(this.#amounts, new Float64Array(capacity));
		this.#positions = larger(this.#positions, new Uint16Array(capacity));
		this.#blocks = larger(this.#blocks, new Uint16Array(capacity));
	}

	async end(store: SeriesStore, memberIds: readonly Int32Array[]): Promise<void> {
		await this.chunkRead(this.#from, this.#to, this.#nextLine, true);
		await this.#last;
		let number = 0;
		for (const { year, block } of store.blocks()) {
			const columns = block.coordinates.map((column, axis) =>
				Int32Array.from(column.subarray(0, block.count), (ordinal) => memberIds[axis]![ordinal]!)
			);
			const packed = await pack(Buffer.concat(columns.map(({ buffer }) => Buffer.from(buffer))), { level: 1 });
			await pool().query('INSERT INTO batch_series (batch_id, block, year, series, packed) VALUES ($1, $2, $3, $4, $5)', [
				this.#batchId,
				number++,
				year,
				block.count,
				packed
			]);
		}
	}
}

/** A batch's addresses: per block its year and member ids by dimension. */
export interface BatchAddresses {
	year: number;
	members: Int32Array[];
}

/**
 * The addresses a batch wrote to, by block; of dimensions that were taken out of the model since, its rows are told together.
 * @param dimensions of the model (ids), in address order
 */
export async function readAddresses(batchId: number, dimensions: readonly number[]): Promise<BatchAddresses[]> {
	const batch = await pool().query<{ model: number; revision: number | null }>(
		'SELECT i.model_id AS model, b.revision FROM batch b JOIN import i ON i.id = b.import_id WHERE b.id = $1',
		[batchId]
	);
	const { model = 0, revision = null } = batch.rows[0] ?? {};
	const stored = revision === null ? dimensions : await dimensionsAt(pool(), model, revision);
	const columns = dimensions.map((dimension) => stored.indexOf(dimension));
	const found = await pool().query<{ year: number; series: number; packed: Buffer }>(
		'SELECT year, series, packed FROM batch_series WHERE batch_id = $1 ORDER BY block',
		[batchId]
	);
	const blocks: BatchAddresses[] = [];
	for (const { year, series, packed } of found.rows) {
		const bytes = await aligned(packed);
		blocks.push({
			year,
			members: columns.map((column) => (column < 0 ? new Int32Array(series) : new Int32Array(bytes, column * series * 4, series)))
		});
	}
	return blocks;
}

/** The runs of entries of a batch, one after the other. @param around only runs that hold this line */
export async function* readEntries(batchId: number, around?: number): AsyncGenerator<RowEntries & { from: number; firstLine: number }> {
	const parts = await pool().query<{ part: number; count: number; from: number; firstLine: number }>(
		`SELECT part, entries AS count, file_from AS from, first_line AS "firstLine" FROM batch_rows
		WHERE batch_id = $1 AND ($2::integer IS NULL OR $2 BETWEEN first_line AND last_line) ORDER BY part`,
		[batchId, around ?? null]
	);
	for (const { part, count, from, firstLine } of parts.rows) {
		const found = await pool().query<{ packed: Buffer }>('SELECT packed FROM batch_rows WHERE batch_id = $1 AND part = $2', [
			batchId,
			part
		]);
		const bytes = await aligned(found.rows[0]!.packed);
		// Columns of four bytes twice, so that the doubles begin at a multiple of eight.
		yield {
			from,
			firstLine,
			lines: new Int32Array(bytes, 0, count),
			series: new Int32Array(bytes, count * 4, count),
			amounts: new Float64Array(bytes, count * 8, count),
			positions: new Uint16Array(bytes, count * 16, count),
			blocks: new Uint16Array(bytes, count * 18, count)
		};
	}
}

async function aligned(packed: Buffer): Promise<ArrayBuffer> {
	const bytes = await unpack(packed);
	return bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
}
