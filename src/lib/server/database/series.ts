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

/** A stored series as it is read: with the revision it was written with, or that of each place where they differ. */
export interface ReadSeries extends StoredSeries {
	stamps: number | Float64Array;
}

/**
 * A changed series. Of loads and results also with which revisions its values were and are written; 0 stands for that of the
 * change set itself. Without them everything that differs is new.
 */
export interface SeriesChange extends StoredSeries {
	before: Float64Array;
	stampsBefore?: Float64Array;
	stamps?: Float64Array;
}

/**
 * The stamps of a series after a change: values that stay keep theirs, the others are new (0).
 * @param again places whose equal value is to count as written anew
 */
export function stampsAfter(before: Float64Array, amounts: Float64Array, stamps: Float64Array, again?: Uint8Array): Float64Array {
	return stamps.map((stamp, place) => (amounts[place] === before[place] && !again?.[place] ? stamp : 0));
}

/**
 * Packs changed series into one block: counts, then each column whole (members per dimension, year, origin, amounts
 * before, amounts after, and where any has them the stamps before and after), compressed. Columns of equal values compress
 * to almost nothing. A count below zero says that there are stamps.
 */
export function packSeries(changes: readonly SeriesChange[]): Promise<Buffer> {
	const count = changes.length;
	const dimensions = changes[0]?.members.length ?? 0;
	const width = changes[0]?.amounts.length ?? 0;
	const hasStamps = changes.some(({ stamps }) => stamps !== undefined);
	const head = Int32Array.of(hasStamps ? -count : count, dimensions, width);
	const whole = new Int32Array(count * (dimensions + 2));
	const amounts = new Float64Array(count * width * (hasStamps ? 4 : 2));
	changes.forEach((change, series) => {
		for (let dimension = 0; dimension < dimensions; dimension++) whole[dimension * count + series] = change.members[dimension]!;
		whole[dimensions * count + series] = change.year;
		whole[(dimensions + 1) * count + series] = change.origin;
		amounts.set(change.before, series * width);
		amounts.set(change.amounts, (count + series) * width);
		if (change.stampsBefore) amounts.set(change.stampsBefore, (2 * count + series) * width);
		if (change.stamps) amounts.set(change.stamps, (3 * count + series) * width);
	});
	return compress(Buffer.concat([head, whole, amounts].map((column) => Buffer.from(column.buffer))), { level: 3 });
}

/** The changed series of a packed block. */
export function unpackSeries(packed: Buffer): SeriesChange[] {
	const bytes = inflateSync(packed);
	// A copy starts at offset 0, as typed arrays over eight bytes need.
	const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength);
	const [signed = 0, dimensions = 0, width = 0] = new Int32Array(buffer, 0, 3);
	const count = Math.abs(signed);
	const whole = new Int32Array(buffer, 12, count * (dimensions + 2));
	const amounts = new Float64Array(buffer.slice(12 + whole.byteLength));
	const column = (place: number, series: number) => amounts.slice((place * count + series) * width, (place * count + series + 1) * width);
	return Array.from({ length: count }, (_, series) => ({
		members: Int32Array.from({ length: dimensions }, (_, dimension) => whole[dimension * count + series]!),
		year: whole[dimensions * count + series]!,
		origin: whole[(dimensions + 1) * count + series]!,
		before: column(0, series),
		amounts: column(1, series),
		...(signed < 0 && { stampsBefore: column(2, series), stamps: column(3, series) })
	}));
}

/** At which member of a dimension that comes into a model each of its addresses goes. */
export interface AxisPlacing {
	/** The place in the address of the dimension that decides; undefined where all go to one member. */
	by: number | undefined;
	/** By member (id) of that dimension the member of the new one. */
	members: ReadonlyMap<number, number>;
	/** Where all others go. */
	otherwise: number;
}

/** The member at which an address goes. */
export const placeOnAxis = ({ by, members, otherwise }: AxisPlacing, address: ArrayLike<number>): number =>
	by === undefined ? otherwise : (members.get(address[by]!) ?? otherwise);

/** The same for addresses side by side. @param columns member ids, a column of `count` for each dimension */
export const axisColumn = ({ by, members, otherwise }: AxisPlacing, columns: Int32Array, count: number): Int32Array =>
	by === undefined
		? new Int32Array(count).fill(otherwise)
		: columns.slice(by * count, (by + 1) * count).map((member) => members.get(member) ?? otherwise);

/** A packed block whose addresses have one more member, the last; all else stays. */
export async function widenPacked(packed: Buffer, placing: AxisPlacing): Promise<Buffer> {
	const bytes = inflateSync(packed);
	const buffer = bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer;
	const [signed = 0, dimensions = 0, width = 0] = new Int32Array(buffer, 0, 3);
	const count = Math.abs(signed);
	const members = new Int32Array(buffer, 12, count * dimensions);
	const added = axisColumn(placing, members, count);
	const rest = Buffer.from(buffer, 12 + members.byteLength);
	return compress(
		Buffer.concat([
			...[Int32Array.of(signed, dimensions + 1, width), members, added].map((part) =>
				Buffer.from(part.buffer, part.byteOffset, part.byteLength)
			),
			rest
		]),
		{ level: 3 }
	);
}
