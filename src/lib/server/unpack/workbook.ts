import ExcelJS from 'exceljs';
import { Fault } from '../fault';
import { openModestly, type Modesty } from './modest';

const MODEST: Modesty = {
	bytes: 120 * 1024 * 1024,
	cells: 1_500_000,
	parts: 2_000,
	words: 'This workbook holds more than can be read here. Save the sheet that is meant as CSV, or in parts.'
};

/** A cell of a workbook as plain data. */
export interface PlainCell {
	text: string;
	/** Its number or text, formulas by their result; null where nothing stands. */
	value: number | string | null;
	/** Why it cannot be read, though something stands in it. */
	trouble?: string;
	formula?: string;
}

/** A sheet by rows and columns from 1; empty places are left out. */
export interface PlainSheet {
	name: string;
	columns: number;
	rows: (PlainCell | undefined)[][];
}

const notReadable = () => new Fault(422, 'not understood', 'This file cannot be read as a workbook. Save it as XLSX again.');

/** A workbook's sheets. @throws Fault 413, 422 */
export async function readSheets(packed: Uint8Array): Promise<PlainSheet[]> {
	await openModestly(packed, MODEST, notReadable);
	const workbook = new ExcelJS.Workbook();
	try {
		// ExcelJS declares an older Buffer; the bytes are the same.
		await workbook.xlsx.load(Buffer.from(packed) as unknown as Parameters<typeof workbook.xlsx.load>[0]);
	} catch {
		throw notReadable();
	}
	return workbook.worksheets.map((sheet) => {
		const rows: PlainSheet['rows'] = [];
		sheet.eachRow((line, row) => {
			const cells: (PlainCell | undefined)[] = [];
			line.eachCell((cell, column) => (cells[column] = plainCell(cell)));
			rows[row] = cells;
		});
		return { name: sheet.name, columns: sheet.columnCount, rows };
	});
}

function plainCell(cell: ExcelJS.Cell): PlainCell {
	const trouble = whyUnreadable(cell);
	const text = cell.value instanceof Date ? dateText(cell.value) : cell.text;
	return {
		text,
		value: trouble === undefined ? valueOf(cell) : null,
		...(trouble !== undefined && { trouble }),
		...(cell.formula && { formula: cell.formula })
	};
}

const dateText = (date: Date): string => (Number.isNaN(date.getTime()) ? '' : date.toISOString().slice(0, 10));

/** Why a cell cannot be read, though something stands in it: a formula nobody has calculated, or an error. */
function whyUnreadable({ value }: ExcelJS.Cell): string | undefined {
	if (value === null || typeof value !== 'object') return undefined;
	if ('error' in value) return `It shows the error ${String(value.error)}.`;
	if (!('formula' in value) && !('sharedFormula' in value)) return undefined;
	if (value.result === undefined || value.result === null)
		return 'It holds a formula without a result. Open the workbook where it was made, let it calculate, and save it.';
	return typeof value.result === 'object' && 'error' in value.result
		? `Its formula gives the error ${String(value.result.error)}.`
		: undefined;
}

/** A cell's number or text; formulas by their result. */
function valueOf(cell: ExcelJS.Cell): number | string | null {
	const { value } = cell;
	const found = value !== null && typeof value === 'object' && 'result' in value ? (value.result ?? null) : value;
	if (found === null || found === undefined) return null;
	if (typeof found === 'number') return found;
	if (found instanceof Date) return dateText(found);
	const text = (typeof found === 'object' ? cell.text : String(found)).trim().replace(/^'/, '');
	return text === '' ? null : text;
}
