import { createHash } from 'node:crypto';
import { promisify } from 'node:util';
import { gunzip, gzip } from 'node:zlib';
import { pool } from '../../database';
import { Fault } from '../../fault';

const pack = promisify(gzip);
const unpack = promisify(gunzip);

/** Files larger than this are refused: 1 GB, some 15 million rows. */
export const MOST_BYTES = 1024 * 1024 * 1024;

/** Bytes of a part before compression; the last one of a file is shorter. */
export const PART_BYTES = 1024 * 1024;

/** A file as it was kept. */
export interface KeptFile {
	id: number;
	name: string;
	format: 'text' | 'workbook';
	bytes: number;
	hash: string;
	sheets: string[];
	at: string;
}

export const tooLarge = () =>
	new Fault(413, 'too large', `The file is larger than ${MOST_BYTES / 1024 ** 3} GB. Split it by month or line and load the parts.`);

/** Begins to keep a file. @returns its id; it counts only once it is completed */
export async function beginFile(modelId: number, importId: number | null, person: number | null, name: string): Promise<number> {
	const made = await pool().query<{ id: number }>(
		"INSERT INTO source_file (model_id, import_id, person_id, name, format) VALUES ($1, $2, $3, $4, 'text') RETURNING id",
		[modelId, importId, person, name.slice(0, 200)]
	);
	return made.rows[0]!.id;
}

/**
 * Keeps the bytes of a stream as a file's parts, compressed: nothing more than a part is held in memory.
 * @throws Fault when it is empty or too large; whatever the stream throws when it breaks off
 */
export async function keepBytes(fileId: number, stream: AsyncIterable<Uint8Array>, mostBytes = MOST_BYTES): Promise<void> {
	const hash = createHash('sha256');
	const writer = new PartWriter(fileId, 0);
	let bytes = 0;
	let first: Buffer | undefined;
	for await (const chunk of stream) {
		bytes += chunk.length;
		if (bytes > mostBytes) throw tooLarge();
		hash.update(chunk);
		first ??= Buffer.from(chunk.subarray(0, 4));
		await writer.write(chunk);
	}
	if (bytes === 0) throw new Fault(422, 'empty file', 'The file is empty. Nothing was loaded.');
	await writer.end();
	const isZip = first![0] === 0x50 && first![1] === 0x4b;
	await pool().query('UPDATE source_file SET bytes = $2, hash = $3, format = $4 WHERE id = $1', [
		fileId,
		bytes,
		hash.digest(),
		isZip ? 'workbook' : 'text'
	]);
}

/** Marks a file as wholly there. */
export async function completeFile(fileId: number): Promise<void> {
	await pool().query('UPDATE source_file SET complete = true WHERE id = $1', [fileId]);
}

/** Forgets a file that did not come in whole. */
export async function forgetFile(fileId: number): Promise<void> {
	await pool().query('DELETE FROM source_file WHERE id = $1 AND NOT EXISTS (SELECT FROM batch WHERE file_id = $1)', [fileId]);
}

/** A kept file of a model. @throws Fault 404 */
export async function keptFile(modelId: number, fileId: number): Promise<KeptFile & { importId: number | null }> {
	const found = await pool().query<Omit<KeptFile, 'hash' | 'at'> & { hash: Buffer; at: Date; importId: number | null }>(
		'SELECT id, name, format, bytes, hash, sheets, at, import_id AS "importId" FROM source_file WHERE id = $1 AND model_id = $2 AND complete',
		[fileId, modelId]
	);
	const file = found.rows[0];
	if (!file) throw new Fault(404, 'not found', 'This file is not kept any more. Choose it again.');
	return { ...file, hash: file.hash.toString('hex'), at: file.at.toISOString() };
}

/** Collects bytes into parts and stores each as it fills. */
export class PartWriter {
	readonly #fileId: number;
	readonly #sheet: number;
	readonly #buffer = Buffer.allocUnsafe(PART_BYTES);
	#filled = 0;
	#part = 0;
	/** The part before, on its way: one is compressed and stored while the next fills. */
	#last: Promise<unknown> = Promise.resolve();

	constructor(fileId: number, sheet: number) {
		this.#fileId = fileId;
		this.#sheet = sheet;
	}

	async write(bytes: Uint8Array): Promise<void> {
		for (let from = 0; from < bytes.length;) {
			const taken = Math.min(PART_BYTES - this.#filled, bytes.length - from);
			this.#buffer.set(bytes.subarray(from, from + taken), this.#filled);
			this.#filled += taken;
			from += taken;
			if (this.#filled === PART_BYTES) await this.#flush();
		}
	}

	async end(): Promise<void> {
		if (this.#filled > 0) await this.#flush();
		await this.#last;
	}

	async #flush(): Promise<void> {
		await this.#last;
		const bytes = Buffer.from(this.#buffer.subarray(0, this.#filled));
		this.#filled = 0;
		const part = this.#part++;
		this.#last = pack(bytes, { level: 1 }).then((packed) =>
			pool().query('INSERT INTO source_file_part (file_id, sheet, part, packed) VALUES ($1, $2, $3, $4)', [
				this.#fileId,
				this.#sheet,
				part,
				packed
			])
		);
		// Awaited with the next part; without this a failure in between would count as unhandled.
		this.#last.catch(() => {});
	}
}

/** The bytes of a kept file or sheet from a place on, part by part; the next part is fetched while one is worked on. */
export async function* keptBytes(fileId: number, sheet: number, from = 0): AsyncGenerator<Buffer> {
	const fetch = async (part: number): Promise<Buffer | undefined> => {
		const found = await pool().query<{ packed: Buffer }>(
			'SELECT packed FROM source_file_part WHERE file_id = $1 AND sheet = $2 AND part = $3',
			[fileId, sheet, part]
		);
		return found.rows[0] && (await unpack(found.rows[0].packed));
	};
	let part = Math.floor(from / PART_BYTES);
	let next = fetch(part);
	let skip = from % PART_BYTES;
	for (;;) {
		const bytes = await next;
		if (!bytes) return;
		next = fetch(++part);
		next.catch(() => {});
		yield skip > 0 ? bytes.subarray(skip) : bytes;
		skip = 0;
	}
}
