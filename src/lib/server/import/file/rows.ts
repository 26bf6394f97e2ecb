import Papa from 'papaparse';
import { Fault } from '../../fault';
import type { Source } from '../../definition/source-schema';

/** A row longer than this ends the reading: a file that is none, or a quotation mark left open. */
const LONGEST_ROW = 2_000_000;
/** Text parsed at once. */
const CHUNK = 512 * 1024;

/** How a text is cut into rows. */
export type RowStyle = Pick<Source, 'delimiter' | 'quote' | 'encoding'>;

/** Rows as they come, with the line each begins on, and the bytes of the file they stand in. */
export interface RowChunk {
	rows: string[][];
	lines: Int32Array;
	/** From the start of the stream, after decoding marks. */
	from: number;
	to: number;
	/** The line that begins behind the chunk. */
	next: number;
}

const wrongEncoding = (encoding: string, hint = '') =>
	new Fault(
		422,
		'wrong encoding',
		`The file is not written in ${encoding.toUpperCase()}, as this import expects.${hint} Correct the encoding under “How the file is written”.`
	);
const notText = () => new Fault(422, 'not text', 'This is not a text file. Export the extract as CSV or XLSX and load that.');
const rowTooLong = (line: number) =>
	new Fault(
		422,
		'broken file',
		`The row from line ${line} on is longer than ${LONGEST_ROW / 1_000_000} million characters: probably a quotation mark is left open there. Nothing was loaded.`
	);

/**
 * Cuts a stream of bytes into rows, chunk by chunk; memory stays flat. Rows without any text are left out. Rows are those of
 * RFC 4180, as Papa Parse reads them.
 * @param firstLine the number of the stream's first line
 * @throws Fault with a sentence when the bytes are no text in this encoding, or a quotation mark is misplaced
 */
export async function* readRows(bytes: AsyncIterable<Uint8Array>, style: RowStyle, firstLine = 1): AsyncGenerator<RowChunk> {
	let parser: ChunkParser | undefined;
	let rest = '';
	let line = firstLine;
	let at = 0;
	const cut = (text: string, isLast: boolean): RowChunk | undefined => {
		const newline = parser ? undefined : newlineOf(text, style.quote);
		if (!parser && (newline || isLast)) parser = parserOf(style, newline ?? '\n');
		const parsed = parser?.parse(text, 0, !isLast);
		const misplaced = parsed?.errors.find((error) => error.type === 'Quotes');
		if (misplaced) throw wrongQuote(line + (misplaced.row ?? 0), misplaced.code === 'MissingQuotes');
		const taken = isLast ? text.length : (parsed?.meta.cursor ?? 0);
		rest = text.slice(taken);
		if (rest.length > LONGEST_ROW) throw rowTooLong(line);
		if (!parsed || taken === 0) return undefined;
		const chunk = numbered(parsed.data, line, text.includes(style.quote));
		const from = at;
		at += byteLength(taken === text.length ? text : text.slice(0, taken), style.encoding);
		line = chunk.next;
		return { rows: chunk.rows, lines: chunk.lines, from, to: at, next: line };
	};
	for await (const text of decoded(bytes, style.encoding)) {
		for (let from = 0; from < text.length; from += CHUNK) {
			const chunk = cut(rest + text.slice(from, from + CHUNK), false);
			if (chunk && chunk.rows.length > 0) yield chunk;
		}
	}
	const chunk = rest === '' ? undefined : cut(rest, true);
	if (chunk && chunk.rows.length > 0) yield chunk;
}

/** The parser behind Papa Parse's streams: it says where its last whole row ends. */
interface ChunkParser {
	parse(text: string, base: number, leaveLastRow: boolean): { data: string[][]; errors: Papa.ParseError[]; meta: { cursor: number } };
}

function parserOf(style: RowStyle, newline: '\n' | '\r'): ChunkParser {
	return new Papa.Parser({ delimiter: style.delimiter, quoteChar: style.quote, newline }) as unknown as ChunkParser;
}

const wrongQuote = (line: number, isOpen: boolean) =>
	new Fault(
		422,
		'broken file',
		`The file cannot be read from line ${line} on: a quotation mark is ${isOpen ? 'left open' : 'misplaced'}. Nothing was loaded.`
	);

/** The bytes as text, strictly: what is no text in this encoding ends it with a sentence. A mark at the start is left out. */
async function* decoded(bytes: AsyncIterable<Uint8Array>, encoding: Source['encoding']): AsyncGenerator<string> {
	const decoder = new TextDecoder(encoding, { fatal: true });
	let first = true;
	for await (const chunk of bytes) {
		if (first && encoding === 'utf-8' && ((chunk[0] === 0xff && chunk[1] === 0xfe) || (chunk[0] === 0xfe && chunk[1] === 0xff)))
			throw wrongEncoding(encoding, ' It looks like UTF-16.');
		first = false;
		yield decode(() => decoder.decode(chunk, { stream: true }), encoding);
	}
	const end = decode(() => decoder.decode(), encoding);
	if (end !== '') yield end;
}

function decode(read: () => string, encoding: string): string {
	let text: string;
	try {
		text = read();
	} catch {
		throw wrongEncoding(encoding);
	}
	if (text.includes('\0')) throw notText();
	return text;
}

/**
 * What ends lines: as the first end of a line outside quotation marks has it. Undefined while there is none. Lines that end
 * in both characters are cut at the second and lose the first: a file may have lines of either kind.
 */
function newlineOf(text: string, quote: string): '\n' | '\r' | undefined {
	let quoted = false;
	for (let at = 0; at < text.length; at++) {
		const character = text[at];
		if (character === quote) quoted = !quoted;
		else if (!quoted && character === '\n') return '\n';
		else if (!quoted && character === '\r') return at + 1 >= text.length ? undefined : text[at + 1] === '\n' ? '\n' : '\r';
	}
	return undefined;
}

/** Rows with the line each begins on; lines without any text in their fields are left out. */
function numbered(data: string[][], firstLine: number, mayRunOver: boolean): { rows: string[][]; lines: Int32Array; next: number } {
	const rows: string[][] = [];
	const lines = new Int32Array(data.length);
	let line = firstLine;
	for (const row of data) {
		const last = row.length - 1;
		if (row[last]!.endsWith('\r')) row[last] = row[last]!.slice(0, -1);
		if (row[0]!.trim() !== '' || row.some((field) => field.trim() !== '')) {
			lines[rows.length] = line;
			rows.push(row);
		}
		line++;
		// Without quotation marks no field runs over lines.
		if (mayRunOver) for (const field of row) if (field.includes('\n')) line += field.split('\n').length - 1;
	}
	return { rows, lines: lines.subarray(0, rows.length), next: line };
}

function byteLength(text: string, encoding: Source['encoding']): number {
	if (encoding === 'utf-8') return Buffer.byteLength(text, 'utf8');
	return encoding === 'utf-16le' || encoding === 'utf-16be' ? text.length * 2 : text.length;
}
