import { createHash } from 'node:crypto';
import { parse } from 'csv-parse';
import { Readable, Transform } from 'node:stream';
import type { SourceRow } from '../../core';
import { Fault } from '../fault';
import type { Source } from './recipe';

/** Files larger than this are refused: 64 MB. */
export const MOST_BYTES = 64 * 1024 * 1024;

const tooLarge = () =>
	new Fault(413, 'too large', `The file is larger than ${MOST_BYTES / 1024 / 1024} MB. Split it by month or line and load the parts.`);

/** Bytes counted and hashed, decoded strictly: a wrong encoding ends the stream with a sentence. */
class Decoder extends Transform {
	readonly hash = createHash('sha256');
	readonly #text: TextDecoder;
	readonly #encoding: string;
	#bytes = 0;

	constructor(encoding: string) {
		super();
		this.#encoding = encoding;
		this.#text = new TextDecoder(encoding, { fatal: true });
	}

	override _transform(chunk: Buffer, _: BufferEncoding, done: (error?: Error | null, data?: string) => void): void {
		if (
			this.#bytes === 0 &&
			this.#encoding === 'utf-8' &&
			((chunk[0] === 0xff && chunk[1] === 0xfe) || (chunk[0] === 0xfe && chunk[1] === 0xff))
		)
			return done(this.#wrongEncoding('It looks like UTF-16.'));
		this.#bytes += chunk.length;
		if (this.#bytes > MOST_BYTES) return done(tooLarge());
		this.hash.update(chunk);
		this.#decode(() => this.#text.decode(chunk, { stream: true }), done);
	}

	override _flush(done: (error?: Error | null, data?: string) => void): void {
		this.#decode(() => this.#text.decode(), done);
	}

	#decode(read: () => string, done: (error?: Error | null, data?: string) => void): void {
		try {
			const text = read();
			if (text.includes('\0')) return done(new Fault(422, 'not text', 'This is not a text file. Export the extract as CSV and load that.'));
			done(null, text);
		} catch {
			done(this.#wrongEncoding(''));
		}
	}

	#wrongEncoding(hint: string): Fault {
		return new Fault(
			422,
			'wrong encoding',
			`The file is not written in ${this.#encoding.toUpperCase()}, as this import expects. ${hint} Save it again with that encoding.`.replace(
				'  ',
				' '
			)
		);
	}
}

/** A row with the line of the file it ends on: its only line, unless a quoted field runs over several. */
export interface FileRow {
	line: number;
	values: SourceRow;
}

/**
 * Reads a delimited file row by row.
 * @param columns headings that must be there
 * @throws Fault when the file is too large, no text, wrongly encoded, broken, or lacks a column
 */
export async function* readRows(
	body: ReadableStream<Uint8Array>,
	source: Source,
	columns: readonly string[]
): AsyncGenerator<FileRow, Buffer> {
	const decoder = new Decoder(source.encoding);
	const parser = parse({
		delimiter: source.delimiter,
		bom: true,
		info: true,
		relax_column_count: true,
		skip_empty_lines: true,
		max_record_size: 100_000
	});
	const bytes = Readable.fromWeb(body as Parameters<typeof Readable.fromWeb>[0]);
	bytes.on('error', (error) => decoder.destroy(error));
	decoder.on('error', (error) => parser.destroy(error));
	bytes.pipe(decoder).pipe(parser);
	let headings: string[] | undefined;
	// For faults of the parser, which come without a row.
	let line = 1;
	try {
		for await (const { record, info } of parser as AsyncIterable<{ record: string[]; info: { lines: number } }>) {
			if (!headings) {
				headings = record.map((heading) => heading.trim());
				requireColumns(headings, columns, source.delimiter);
				continue;
			}
			line = info.lines;
			const values: Record<string, string> = {};
			for (const [index, heading] of headings.entries()) values[heading] = record[index] ?? '';
			yield { line, values };
		}
	} catch (error) {
		if (error instanceof Fault) throw error;
		const code = (error as { code?: string }).code ?? '';
		if (code.startsWith('CSV_'))
			throw new Fault(422, 'broken file', `The file cannot be read near line ${line + 1}: a quotation mark is left open or misplaced.`);
		throw error;
	} finally {
		bytes.destroy();
	}
	if (!headings) throw new Fault(422, 'empty file', 'The file is empty. Nothing was loaded.');
	return decoder.hash.digest();
}

function requireColumns(headings: readonly string[], columns: readonly string[], delimiter: string): void {
	const missing = columns.filter((column) => !headings.includes(column));
	if (missing.length === 0) return;
	const list = (names: readonly string[]) => names.map((name) => `“${name}”`).join(', ');
	const hint =
		headings.length === 1
			? ` Its first line has one column only; this import expects “${delimiter}” between columns.`
			: ` It has ${list(headings.slice(0, 12))}.`;
	throw new Fault(422, 'missing column', `The file has no column ${list(missing)}.${hint} Nothing was loaded.`);
}
