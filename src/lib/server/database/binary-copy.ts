/** Offset of the first row: signature (11 bytes), flags and the length of the header's extension (0). */
const HEADER_BYTES = 19;

/** The fields of the row at hand, read where they lie. */
export interface BinaryFields {
	/** A four-byte integer. */
	integer(field: number): number;
	/** An array of doubles; its NULLs come as NaN. The array is reused for the field's next one of the same length. */
	doubles(field: number): Float64Array;
}

/**
 * Reads PostgreSQL's binary COPY format from chunks cut anywhere.
 * Source: PostgreSQL documentation, COPY, "Binary Format"; arrays as written by array_send.
 */
export class BinaryCopyReader implements BinaryFields {
	#buffer: Buffer = Buffer.alloc(0);
	#headerRead = false;
	#starts: number[] = [];
	/** A buffer for each field that holds doubles. */
	#doubles: Float64Array[] = [];

	/** Takes the next chunk and calls back with each row that is complete. */
	push(chunk: Buffer, visit: (fields: BinaryFields) => void): void {
		this.#buffer = this.#buffer.length === 0 ? chunk : Buffer.concat([this.#buffer, chunk]);
		let at = 0;
		if (!this.#headerRead) {
			if (this.#buffer.length < HEADER_BYTES) return;
			this.#headerRead = true;
			at = HEADER_BYTES;
		}
		for (;;) {
			const end = this.#rowEnd(at);
			if (end < 0) break;
			visit(this);
			at = end;
		}
		this.#buffer = this.#buffer.subarray(at);
	}

	integer(field: number): number {
		return this.#buffer.readInt32BE(this.#starts[field]!);
	}

	doubles(field: number): Float64Array {
		let at = this.#starts[field]!;
		const dimensions = this.#buffer.readInt32BE(at);
		if (dimensions === 0) return new Float64Array(0);
		const length = this.#buffer.readInt32BE(at + 12);
		at += 20;
		// A fresh array a row would be hundreds of thousands of small buffers, and the collector's work with them most of a load.
		if (this.#doubles[field]?.length !== length) this.#doubles[field] = new Float64Array(length);
		const values = this.#doubles[field];
		for (let index = 0; index < length; index++) {
			const bytes = this.#buffer.readInt32BE(at);
			at += 4;
			if (bytes < 0) values[index] = Number.NaN;
			else {
				values[index] = this.#buffer.readDoubleBE(at);
				at += 8;
			}
		}
		return values;
	}

	/** Where the row that starts at `at` ends, noting its fields; −1 when it is not complete or the stream has ended. */
	#rowEnd(at: number): number {
		const { length } = this.#buffer;
		if (at + 2 > length) return -1;
		const fields = this.#buffer.readInt16BE(at);
		if (fields < 0) return -1;
		let place = at + 2;
		this.#starts.length = fields;
		for (let field = 0; field < fields; field++) {
			if (place + 4 > length) return -1;
			const bytes = this.#buffer.readInt32BE(place);
			place += 4;
			this.#starts[field] = place;
			place += Math.max(0, bytes);
			if (place > length) return -1;
		}
		return place;
	}
}
