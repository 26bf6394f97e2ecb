import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import ExcelJS from 'exceljs';
import { inTreeOrder, printField } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { formulasInText } from './formulas';
import { readDimension } from './read-state';

/** Files with members are at most this large. */
export const MOST_FILE_BYTES = 24 * 1024 * 1024;
const MOST_FILE_ROWS = 120_000;

/** What a spreadsheet would take for a formula gets an apostrophe in front, which loading takes off again. */
export const guarded = (cell: string): string => (/^[=+\-@\t\r]/.test(cell) && !/^-?[\d.]+$/.test(cell) ? `'${cell}` : cell);

/** A dimension's members as a grid with headings, as it can be pasted back. */
export async function exportGrid(
	person: SignedIn | undefined,
	modelId: number,
	dimensionCode: string
): Promise<{ name: string; grid: string[][] }> {
	requirePermission(person, 'structure.read');
	const { state } = await readDimension(pool(), modelId, dimensionCode);
	const formulas = state.kind === 'account' ? await formulasInText(modelId) : new Map<number, string>();
	const retired = [...state.members.values()].some((member) => member.retired);
	const headings = [
		'Code',
		'Name',
		'Parent',
		'Weight',
		...(retired ? ['Retired'] : []),
		...state.fields.map(({ title }) => title),
		...(formulas.size > 0 ? ['Formula'] : [])
	];
	const rows = inTreeOrder(state).map(({ member }) => [
		guarded(member.code),
		guarded(member.name),
		guarded(member.parent === null ? '' : state.members.get(member.parent)!.code),
		String(member.weight),
		...(retired ? [printField(member.retired)] : []),
		...state.fields.map(({ key }) => guarded(printField(member.facts[key]))),
		...(formulas.size > 0 ? [guarded(formulas.get(member.id) ?? '')] : [])
	]);
	return { name: state.name, grid: [headings, ...rows] };
}

export const toCsv = (grid: readonly (readonly string[])[]): string => `\ufeff${stringify(grid as string[][])}`;

/** A workbook of one sheet, its heading frozen. */
export async function toWorkbook(name: string, grid: readonly (readonly string[])[]): Promise<Buffer> {
	const workbook = new ExcelJS.Workbook();
	const sheet = workbook.addWorksheet(name.replaceAll(/[\\/*?:[\]]/g, ' ').slice(0, 31), { views: [{ state: 'frozen', ySplit: 1 }] });
	for (const row of grid) sheet.addRow(row);
	sheet.getRow(1).font = { bold: true };
	sheet.columns.forEach((column, index) => (column.width = index === 1 ? 36 : 16));
	return Buffer.from(await workbook.xlsx.writeBuffer());
}

/**
 * An uploaded CSV or XLSX file as a grid of texts. Encoding (UTF-8, UTF-16, Windows-1252) and delimiter are found out.
 * @throws Fault 413, 422 with a sentence
 */
export async function readSheet(fileName: string, bytes: Buffer): Promise<string[][]> {
	if (bytes.length > MOST_FILE_BYTES) throw new Fault(413, 'too large', `The file is larger than ${MOST_FILE_BYTES / 1024 / 1024} MB.`);
	const zipped = bytes[0] === 0x50 && bytes[1] === 0x4b;
	const grid = zipped ? await readWorkbook(bytes) : readText(fileName, bytes);
	if (grid.length > MOST_FILE_ROWS) throw new Fault(413, 'too large', `The file has more than ${MOST_FILE_ROWS} rows.`);
	if (grid.length < 2) throw new Fault(422, 'not understood', 'The file has no rows under its headings.');
	return grid;
}

async function readWorkbook(bytes: Buffer): Promise<string[][]> {
	const workbook = new ExcelJS.Workbook();
	try {
		// ExcelJS declares an older Buffer; the bytes are the same.
		await workbook.xlsx.load(bytes as unknown as Parameters<typeof workbook.xlsx.load>[0]);
	} catch {
		throw new Fault(422, 'not understood', 'This workbook cannot be read. Save it as XLSX again, or as CSV.');
	}
	const sheet = workbook.worksheets[0];
	const grid: string[][] = [];
	sheet?.eachRow({ includeEmpty: true }, (row) => {
		const cells: string[] = [];
		for (let column = 1; column <= Math.min(sheet.columnCount, 200); column++) {
			const cell = row.getCell(column);
			cells.push(cell.value instanceof Date ? cell.value.toISOString().slice(0, 10) : cell.text);
		}
		grid.push(cells);
	});
	return grid;
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
