/** Reads an uploaded file as a grid; done in the thread for packed files. */
import { parse } from 'csv-parse/sync';
import { Fault } from '../fault';
import { readSheets } from './workbook';

const MOST_FILE_ROWS = 120_000;
const MOST_FILE_COLUMNS = 200;

/** A CSV or XLSX file as a grid of texts. @throws Fault 413, 422 with a sentence */
export async function gridOfFile(fileName: string, bytes: Buffer): Promise<string[][]> {
	const zipped = bytes[0] === 0x50 && bytes[1] === 0x4b;
	const grid = zipped ? await gridOfWorkbook(bytes) : readText(fileName, bytes);
	if (grid.length > MOST_FILE_ROWS) throw new Fault(413, 'too large', `The file has more than ${MOST_FILE_ROWS} rows.`);
	if (grid.length < 2) throw new Fault(422, 'not understood', 'The file has no rows under its headings.');
	return grid;
}

async function gridOfWorkbook(bytes: Buffer): Promise<string[][]> {
	const [sheet] = await readSheets(bytes);
	const width = Math.min(sheet?.columns ?? 0, MOST_FILE_COLUMNS);
	return Array.from({ length: Math.max(0, (sheet?.rows.length ?? 0) - 1) }, (_, row) =>
		Array.from({ length: width }, (__, column) => sheet!.rows[row + 1]?.[column + 1]?.text ?? '')
	);
}

function readText(fileName: string, bytes: Buffer): string[][] {
	const text = decode(bytes);
	if (text.includes('\0')) throw new Fault(422, 'not text', `${fileName} is neither a CSV file nor a workbook.`);
	const firstLine = text.slice(0, text.indexOf('\n') < 0 ? text.length : text.indexOf('\n'));
	const delimiter = [';', '\t', ',', '|'].reduce(
		(best, each) => (firstLine.split(each).length > firstLine.split(best).length ? each : best),
		','
	);
	try {
		return parse(text, { delimiter, bom: true, relax_column_count: true, skip_empty_lines: true, relax_quotes: true }) as string[][];
	} catch (error) {
		throw new Fault(422, 'not understood', `The file cannot be read as CSV: ${(error as Error).message}`);
	}
}

function decode(bytes: Buffer): string {
	if (bytes[0] === 0xff && bytes[1] === 0xfe) return new TextDecoder('utf-16le').decode(bytes);
	if (bytes[0] === 0xfe && bytes[1] === 0xff) return new TextDecoder('utf-16be').decode(bytes);
	try {
		return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
	} catch {
		// Every byte means something in it, so it comes last.
		return new TextDecoder('windows-1252').decode(bytes);
	}
}
