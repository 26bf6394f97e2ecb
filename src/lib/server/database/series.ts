import { promisify } from 'node:util';
import { deflate, inflateSync } from 'node:zlib';

const compress = promisify(deflate);

/** One stored series: what one origin holds at an address for one fiscal year. Empty places are NaN. */
export interface StoredSeries {
	origin: number;
	/** Member ids in the order of the model's dimensions, the period left out. */
	members: ArrayLike<number>;
	year: number;
	amounts: Float64Array;
}

/** A changed series. */
export interface SeriesChange extends StoredSeries {
	before: Float64Array;
}

/**
 * Packs changed series into one block: counts, then each column whole (members per dimension, year, origin, amounts
 * before, amounts after), compressed. Columns of equal values compress to almost nothing.
 */
export function packSeries(changes: readonly SeriesChange[]): Promise<Buffer> {
	const count = changes.length;
	const dimensions = changes[0]?.members.length ?? 0;
	const width = changes[0]?.amounts.length ?? 0;
	const head = Int32Array.of(count, dimensions, width);
	const whole = new Int32Array(count * (dimensions + 2));
	const amounts = new Float64Array(count * width * 2);
	changes.forEach((change, series) => {
		for (let dimension = 0; dimension < dimensions; dimension++) whole[dimension * count + series] = change.members[dimension]!;
		whole[dimensions * count + series] = change.year;
		whole[(dimensions + 1) * count + series] = change.origin;
		amounts.set(change.before, series * width);
		amounts.set(change.amounts, (count + series) * width);
	});
	return compress(Buffer.concat([head, whole, amounts].map((column) => Buffer.from(column.buffer))), { level: 3 });
}

/** The changed series of a packed block. */
export function unpackSeries(packed: Buffer): SeriesChange[] {
	const bytes = inflateSync(packed);
	// A copy starts at offset 0, as typed arrays over eight bytes need.
	const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
	const [count = 0, dimensions = 0, width = 0] = new Int32Array(buffer, 0, 3);
	const whole = new Int32Array(buffer, 12, count * (dimensions + 2));
	const amounts = new Float64Array(buffer.slice(12 + whole.byteLength));
	return Array.from({ length: count }, (_, series) => ({
		members: Int32Array.from({ length: dimensions }, (_, dimension) => whole[dimension * count + series]!),
		year: whole[dimensions * count + series]!,
		origin: whole[(dimensions + 1) * count + series]!,
		before: amounts.slice(series * width, (series + 1) * width),
		amounts: amounts.slice((count + series) * width, (count + series + 1) * width)
	}));
}
