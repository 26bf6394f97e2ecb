import { stringify } from 'csv-stringify/sync';
import ExcelJS from 'exceljs';
import { inTreeOrder, printField } from '../../core';
import { pool } from '../database';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { unpack } from '../unpack';
import { formulasInText } from './formulas';
import { readDimension } from './read-state';

/** Files with members are at most this large. */
export const MOST_FILE_BYTES = 24 * 1024 * 1024;

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
		...state.fields.map(({ title }) => guarded(title)),
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
	return unpack('grid', { bytes, name: fileName });
}
