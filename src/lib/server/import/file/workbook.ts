import { stringify } from 'csv-stringify/sync';
import ExcelJS from 'exceljs';
import { pool } from '../../database';
import { Fault } from '../../fault';
import { openModestly, type Modesty } from '../../unpack/modest';
import { keptBytes, PartWriter } from './keep';

/** Workbooks larger than this are refused: they are unpacked in memory. CSV has no such limit. */
const MOST_PACKED = 48 * 1024 * 1024;
/** What a workbook may unpack to: more is a trap, or belongs in a CSV. */
const MODEST: Modesty = {
	bytes: 400 * 1024 * 1024,
	cells: 6_000_000,
	parts: 2_000,
	words: 'This workbook is too large to be unpacked. Save the sheet as CSV and load that: CSV files may be much larger.'
};
const MOST_SHEETS = 60;
const MOST_ROWS = 1_048_576;

const notReadable = () => new Fault(422, 'broken file', 'This workbook cannot be read. Save it again as XLSX, or as CSV, and load that.');
const tooLarge = () => new Fault(413, 'too large', MODEST.words);

/**
 * Reads a kept workbook's sheets and keeps each as rows beside it: comma separated, UTF-8, dates as `2026-09-30`, numbers
 * with a point. A number that could be taken for one with thousands separated gets a further 0 at its end, so that
 * `1.234` as text and 1.234 as a number stay apart.
 * @throws Fault when it is no workbook, or unpacks to more than is sensible
 */
export async function unpackWorkbook(fileId: number): Promise<string[]> {
	const parts: Buffer[] = [];
	let bytes = 0;
	for await (const part of keptBytes(fileId, 0)) {
		bytes += part.length;
		if (bytes > MOST_PACKED) throw tooLarge();
		parts.push(part);
	}
	const packed = Buffer.concat(parts);
	await openModestly(packed, MODEST, notReadable);
	const workbook = new ExcelJS.Workbook();
	try {
		await workbook.xlsx.load(packed as unknown as ArrayBuffer);
	} catch {
		throw notReadable();
	}
	const sheets = workbook.worksheets.slice(0, MOST_SHEETS);
	if (sheets.length === 0) throw notReadable();
	for (const [index, sheet] of sheets.entries()) await keepSheet(fileId, index + 1, sheet);
	const names = sheets.map(({ name }) => name);
	await pool().query('UPDATE source_file SET sheets = $2 WHERE id = $1', [fileId, names]);
	return names;
}

async function keepSheet(fileId: number, number: number, sheet: ExcelJS.Worksheet): Promise<void> {
	if (sheet.rowCount > MOST_ROWS) throw tooLarge();
	const writer = new PartWriter(fileId, number);
	const width = sheet.columnCount;
	let rows: string[][] = [];
	const send = async () => {
		await writer.write(Buffer.from(stringify(rows)));
		rows = [];
	};
	for (let number = 1; number <= sheet.rowCount; number++) {
		const row = sheet.getRow(number);
		// Empty rows stay, as a row of empty fields: lines are counted as the sheet counts them.
		rows.push(Array.from({ length: Math.max(1, width) }, (_, column) => cellText(row.getCell(column + 1).value).replace(/\r?\n/g, ' ')));
		if (rows.length >= 2_000) await send();
	}
	await send();
	await writer.end();
}

/** What a cell says as plain text. */
export function cellText(value: ExcelJS.CellValue): string {
	if (value === null || value === undefined) return '';
	if (typeof value === 'number') return numberText(value);
	if (typeof value === 'string') return value;
	if (typeof value === 'boolean') return value ? 'yes' : 'no';
	if (value instanceof Date) return Number.isNaN(value.getTime()) ? '' : value.toISOString().slice(0, 10);
	if ('result' in value || 'formula' in value || 'sharedFormula' in value)
		return cellText((value as { result?: ExcelJS.CellValue }).result);
	if ('richText' in value) return value.richText.map(({ text }) => text).join('');
	if ('text' in value) return cellText(value.text as ExcelJS.CellValue);
	return '';
}

function numberText(value: number): string {
	// Sheets keep doubles; fifteen digits are what they show of them.
	const text = String(Number(value.toPrecision(15)));
	return /^-?\d{1,3}\.\d{3}$/.test(text) ? `${text}0` : text;
}
