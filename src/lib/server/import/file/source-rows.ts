import { Fault } from '../../fault';
import type { Source } from '../../definition/source-schema';
import { keptBytes, type KeptFile } from './keep';
import { readRows, type RowChunk, type RowStyle } from './rows';

/** A kept file opened for reading by an import: its headings and then its rows. */
export interface OpenSource {
	headings: string[];
	/** Rows of data, in chunks, with their lines. */
	chunks: AsyncGenerator<RowChunk>;
	/** How the rows are written; sheets of a workbook are always written alike. */
	style: RowStyle;
	sheet: number;
}

/** Sheets of workbooks are kept so. */
const SHEET_STYLE: RowStyle = { delimiter: ',', quote: '"', encoding: 'utf-8' };

const MOST_COLUMNS = 2_000;

/** The style in which a kept file's rows are read, and which of its sheets. @throws Fault when the sheet is not there */
export function styleOf(file: KeptFile, source: Source): { style: RowStyle; sheet: number } {
	if (file.format === 'text') return { style: source, sheet: 0 };
	const sheet = source.sheet === '' ? 0 : file.sheets.indexOf(source.sheet);
	if (sheet < 0)
		throw new Fault(
			422,
			'missing sheet',
			`The workbook has no sheet “${source.sheet}”. It has ${file.sheets
				.slice(0, 8)
				.map((name) => `“${name}”`)
				.join(', ')}.`
		);
	return { style: SHEET_STYLE, sheet: sheet + 1 };
}

/**
 * Opens a kept file as an import says it is written.
 * @throws Fault when it is no text, has no rows, or lacks the sheet
 */
export async function openSource(file: KeptFile, source: Source): Promise<OpenSource> {
	const { style, sheet } = styleOf(file, source);
	const chunks = within(readRows(keptBytes(file.id, sheet), style), file.format === 'workbook' ? source.range : '');
	// Rows above the data are taken off the first chunk; what is left of it is handed on.
	let first: RowChunk | undefined;
	const above: string[][] = [];
	while (above.length < source.headerRows) {
		const next = await chunks.next();
		if (next.done) break;
		const needed = source.headerRows - above.length;
		above.push(...next.value.rows.slice(0, needed));
		if (next.value.rows.length > needed)
			first = { ...next.value, rows: next.value.rows.slice(needed), lines: next.value.lines.subarray(needed) };
	}
	if (source.headerRows === 0) {
		const next = await chunks.next();
		if (!next.done) first = next.value;
	}
	if (above.length === 0 && !first) throw new Fault(422, 'empty file', 'The file is empty. Nothing was loaded.');
	const headings = headingsOf(
		source.headerRows === 0 ? Array.from(first!.rows[0]!, (_, index) => `Column ${index + 1}`) : (above.at(-1) ?? [])
	);
	return {
		headings,
		style,
		sheet,
		chunks: (async function* () {
			if (first) yield first;
			yield* chunks;
		})()
	};
}

/** Headings made distinct: a second "Amount" is called "Amount (2)", an empty one by its place. */
export function headingsOf(row: readonly string[]): string[] {
	if (row.length > MOST_COLUMNS)
		throw new Fault(422, 'too many columns', `The file has ${row.length} columns; at most ${MOST_COLUMNS} are read.`);
	const counts = new Map<string, number>();
	return row.map((text, index) => {
		const heading = text.trim() === '' ? `Column ${index + 1}` : text.trim().slice(0, 200);
		const count = (counts.get(heading) ?? 0) + 1;
		counts.set(heading, count);
		return count === 1 ? heading : `${heading} (${count})`;
	});
}

/** @throws Fault naming the columns an import needs and the file lacks */
export function requireColumns(headings: readonly string[], columns: readonly string[], delimiter: string): void {
	const missing = columns.filter((column) => !headings.includes(column));
	if (missing.length === 0) return;
	const list = (names: readonly string[]) => names.map((name) => `“${name}”`).join(', ');
	const hint =
		headings.length === 1
			? ` Its first line has one column only; this import expects “${delimiter === '\t' ? 'tab' : delimiter}” between columns.`
			: ` It has ${list(headings.slice(0, 12))}.`;
	throw new Fault(422, 'missing column', `The file has no column ${list(missing)}.${hint} Nothing was loaded.`);
}

/** Rows within a range such as B3:H900 (H without a number: to the end). */
async function* within(chunks: AsyncGenerator<RowChunk>, range: string): AsyncGenerator<RowChunk> {
	const match = /^([A-Z]+)(\d+):([A-Z]+)(\d*)$/.exec(range);
	const column = (letters: string) => [...letters].reduce((sum, letter) => sum * 26 + letter.charCodeAt(0) - 64, 0);
	const [left, right] = match ? [column(match[1]!) - 1, column(match[3]!)] : [0, Infinity];
	const [top, bottom] = match ? [Number(match[2]), match[4] === '' ? Infinity : Number(match[4])] : [1, Infinity];
	for await (const chunk of chunks) {
		if (!match) {
			yield chunk;
			continue;
		}
		const rows: string[][] = [];
		const lines: number[] = [];
		for (const [index, row] of chunk.rows.entries()) {
			const line = chunk.lines[index]!;
			if (line < top || line > bottom) continue;
			rows.push(row.slice(left, right));
			lines.push(line);
		}
		if (rows.length > 0) yield { ...chunk, rows, lines: Int32Array.from(lines) };
	}
}
