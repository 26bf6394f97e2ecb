import ExcelJS from 'exceljs';
import { z } from 'zod';
import { pool } from '../database';
import { askEngine, type FormAnswer } from '../engine';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { guarded } from '../structure/sheets';
import { draftVersion } from './draft';
import { choicesSchema, formAsk, readForm, type FormChoices } from './open';

/** Forms with more cells than this do not go into a workbook. */
const MOST_CELLS = 100_000;

/** Workbooks that come back are at most this large. */
export const MOST_WORKBOOK_BYTES = 12 * 1024 * 1024;

/** The hidden sheet that says what the workbook was made of. */
const FACTS_SHEET = 'About this workbook';
const FORMAT = 'noble lattice form 1';

/** Rows above the grid: the form's name, what was chosen, an empty line, two lines of headings. */
const HEAD_ROWS = 5;

/** How cells for typing are marked, as the grid marks them: a dotted line beneath, on a pale ground. */
const TYPE_HERE: Partial<ExcelJS.Style> = {
	fill: { type: 'pattern', pattern: 'solid', fgColor: { argb: 'FFFBFAF0' } },
	border: { bottom: { style: 'dotted', color: { argb: 'FF8C826F' } } }
};

const factsSchema = z.object({
	format: z.literal(FORMAT),
	form: z.string(),
	choices: choicesSchema,
	structure: z.number().int(),
	columns: z.number().int(),
	rows: z.number().int()
});

async function wholeForm(person: SignedIn, modelId: number, code: string, choices: FormChoices) {
	const stored = await readForm(person, modelId, code);
	const ask = await formAsk(person, modelId, stored.layout, choices, await draftVersion(pool(), person.id, modelId));
	const form = await askEngine(modelId, 'form', ask);
	if (form.rows.length * form.columns.length > MOST_CELLS)
		throw new Fault(413, 'too large', `This form has more than ${MOST_CELLS} cells. Choose a smaller part of it first.`);
	return { name: stored.name, form };
}

/** What a cell holds in a file: a number, or the word a choice, text or date stands for. */
function wordsByCell(form: FormAnswer): (cell: number, row: number) => string | number | null {
	const words = new Map(form.words);
	return (cell, row) => {
		const value = form.values[cell] ?? null;
		if (value === null) return null;
		const facts = form.columns[cell % form.columns.length]!.facts ?? form.rows[row]!;
		if (facts.coded) return words.get(cell) ?? '';
		return facts.valueType === 'date' ? new Date(value * 86_400_000).toISOString().slice(0, 10) : value;
	};
}

/** A form as a workbook to fill in elsewhere: formats, tree outline, cells for typing marked, what was chosen in its head. */
export async function formWorkbook(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices
): Promise<{ name: string; bytes: Buffer }> {
	const reader = requirePermission(person, 'form.read');
	const { name, form } = await wholeForm(reader, modelId, code, choices);
	const workbook = new ExcelJS.Workbook();
	workbook.creator = 'Noble Lattice';
	const sheet = workbook.addWorksheet(name.replaceAll(/[\\/*?:[\]]/g, ' ').slice(0, 31), {
		views: [{ state: 'frozen', xSplit: 1, ySplit: HEAD_ROWS }],
		properties: { outlineLevelRow: 7 }
	});
	sheet.properties.outlineProperties = { summaryBelow: false, summaryRight: true };
	sheet.addRow([guarded(name)]).font = { bold: true, size: 14 };
	sheet.addRow([
		...form.selectors.map(({ name: dimension, chosen, choices: offered }) =>
			guarded(`${dimension}: ${offered.find(({ member }) => member === chosen)?.name ?? ''}`)
		),
		`In ${form.currency === 'local' ? 'local currency' : form.currency}`,
		...(form.trial ? [guarded(`As “${form.trial.name}” would leave it; that has not run`)] : [])
	]);
	sheet.addRow([]);
	sheet.addRow(['', ...form.columns.map(({ group }, index) => (group !== form.columns[index - 1]?.group ? guarded(group) : ''))]);
	sheet.addRow(['', ...form.columns.map(({ label }) => guarded(label))]).font = { bold: true };
	sheet.getColumn(1).width = 40;
	form.columns.forEach((column, index) => (sheet.getColumn(index + 2).width = Math.max(11, (column.width ?? 0) / 7)));
	const wordOf = wordsByCell(form);
	form.rows.forEach((line, row) => {
		const added = sheet.addRow([
			guarded(line.label),
			...form.columns.map((_, column) => {
				const value = wordOf(row * form.columns.length + column, row);
				return typeof value === 'string' ? guarded(value) : value;
			})
		]);
		added.outlineLevel = Math.min(7, line.depth);
		added.getCell(1).alignment = { indent: line.depth };
		if (line.parent || line.kind === 'text') added.getCell(1).font = { bold: true };
		form.columns.forEach((column, at) => {
			const cell = added.getCell(at + 2);
			const facts = column.facts ?? line;
			cell.numFmt = numberFormat(
				column.percent ? 'percent' : facts.valueType,
				column.percent ? (column.decimals ?? 1) : facts.shownDecimals
			);
			const mark = form.marks[row * form.columns.length + at];
			if (mark === 'e' || mark === 's') {
				cell.style = { ...cell.style, ...TYPE_HERE, protection: { locked: false } };
				if (mark === 's') cell.font = { bold: true };
			}
		});
	});
	// Without a password: it keeps slips away, nobody out.
	await sheet.protect('', { selectLockedCells: true, selectUnlockedCells: true, formatColumns: true, formatRows: true });
	const facts = workbook.addWorksheet(FACTS_SHEET, { state: 'veryHidden' });
	facts.addRow([
		JSON.stringify({
			format: FORMAT,
			form: code,
			choices,
			structure: form.structure,
			columns: form.columns.length,
			rows: form.rows.length
		} satisfies z.infer<typeof factsSchema>)
	]);
	// What each cell held when the workbook was made: what is different when it comes back was changed in it.
	form.rows.forEach((_, row) => facts.addRow(form.columns.map((__, column) => wordOf(row * form.columns.length + column, row))));
	return { name, bytes: Buffer.from(await workbook.xlsx.writeBuffer()) };
}

function numberFormat(valueType: string, decimals: number): string {
	const places = decimals > 0 ? `.${'0'.repeat(decimals)}` : '';
	if (valueType === 'percent') return `0${places}%`;
	return valueType === 'choice' || valueType === 'text' || valueType === 'date' ? '@' : `#,##0${places}`;
}

/** A form as CSV, as it is shown. */
export async function formGrid(
	person: SignedIn | undefined,
	modelId: number,
	code: string,
	choices: FormChoices
): Promise<{ name: string; grid: string[][] }> {
	const reader = requirePermission(person, 'form.read');
	const { name, form } = await wholeForm(reader, modelId, code, choices);
	const wordOf = wordsByCell(form);
	return {
		// A grid has no head to say it in.
		name: form.trial ? `${name}, as “${form.trial.name}” would leave it` : name,
		grid: [
			['Row', 'Code', ...form.columns.map(({ label, group }) => guarded(group && group !== label ? `${group} ${label}` : label))],
			...form.rows.map((line, row) => [
				guarded([...line.above, line.label].join(' · ')),
				guarded(line.code),
				...form.columns.map((_, column) => {
					const cell = row * form.columns.length + column;
					const shown = guarded(String(wordOf(cell, row) ?? ''));
					// Incompleteness travels with the figure.
					return (form.flags[cell] ?? 0) & 1 && shown !== '' ? `≈ ${shown}` : shown;
				})
			])
		]
	};
}

/** What a workbook that came back would do to the form. */
export interface WorkbookReading {
	choices: FormChoices;
	changes: WorkbookChange[];
	refused: WorkbookChange[];
	/** Cells that others changed since the workbook was made. */
	conflicts: (WorkbookChange & { now: string })[];
}

export interface WorkbookChange {
	row: number;
	column: number;
	words: string;
	before: string;
	/** What was typed in the workbook, as it is to be entered. */
	text: string;
	reason: string;
}

/**
 * Reads a workbook of a form back: what was changed in it, what others changed meanwhile, what may not be entered.
 * Nothing is written; the page enters the changes into the draft.
 * @throws Fault when it is not a workbook of this form, or the form has other lines now
 */
export async function readWorkbook(person: SignedIn | undefined, modelId: number, code: string, bytes: Buffer): Promise<WorkbookReading> {
	const writer = requirePermission(person, 'form.enter');
	const workbook = await unpack(bytes);
	const facts = workbook.getWorksheet(FACTS_SHEET);
	const sheet = workbook.worksheets.find((each) => each.name !== FACTS_SHEET);
	const parsed = factsSchema.safeParse(jsonOrNull(facts?.getRow(1).getCell(1).text));
	if (!facts || !sheet || !parsed.success)
		throw new Fault(
			422,
			'not understood',
			'This is not a workbook of this form: the sheet that describes it is missing. Download it again.'
		);
	const { choices, columns, rows, structure, form: from } = parsed.data;
	if (from !== code) throw new Fault(422, 'not understood', 'This workbook belongs to another form. Open that one and upload it there.');
	const { form } = await wholeForm(writer, modelId, code, choices);
	if (structure !== form.structure || form.rows.length !== rows || form.columns.length !== columns)
		throw new Fault(
			422,
			'not possible',
			'The form has other lines now than when this workbook was made. Download it again and take your figures over.'
		);
	const wordOf = wordsByCell(form);
	const reading: WorkbookReading = { choices, changes: [], refused: [], conflicts: [] };
	for (let row = 0; row < rows; row++)
		for (let column = 0; column < columns; column++) {
			const was = cellValue(facts.getRow(row + 2).getCell(column + 1));
			const is = cellValue(sheet.getRow(row + HEAD_ROWS + 1).getCell(column + 2));
			if (same(was, is)) continue;
			const cell = row * columns + column;
			const percent = form.columns[column]!.percent || (form.columns[column]!.facts ?? form.rows[row]!).valueType === 'percent';
			const change: WorkbookChange = {
				row,
				column,
				words: `${form.rows[row]!.label}, ${form.columns[column]!.label}`,
				before: was === null ? '' : String(was),
				text: typeof is === 'number' ? plain(percent ? is * 100 : is) : (is ?? ''),
				reason: ''
			};
			const mark = form.marks[cell];
			if (mark !== 'e' && mark !== 's')
				reading.refused.push({ ...change, reason: mark === 'x' ? 'It is closed.' : 'It is computed, or not yours to write.' });
			else if (!same(was, wordOf(cell, row))) reading.conflicts.push({ ...change, now: String(wordOf(cell, row) ?? '') });
			else reading.changes.push(change);
		}
	return reading;
}

const plain = (value: number): string =>
	Number(value.toPrecision(15)).toLocaleString('en', { useGrouping: false, maximumFractionDigits: 10 });

async function unpack(bytes: Buffer): Promise<ExcelJS.Workbook> {
	if (bytes.length > MOST_WORKBOOK_BYTES)
		throw new Fault(413, 'too large', `The workbook is larger than ${MOST_WORKBOOK_BYTES / 1024 / 1024} MB.`);
	const workbook = new ExcelJS.Workbook();
	try {
		// ExcelJS declares an older Buffer; the bytes are the same.
		await workbook.xlsx.load(bytes as unknown as Parameters<typeof workbook.xlsx.load>[0]);
	} catch {
		throw new Fault(422, 'not understood', 'This file cannot be read as a workbook. Save it as XLSX and upload it again.');
	}
	return workbook;
}

function jsonOrNull(text: string | undefined): unknown {
	try {
		return JSON.parse(text ?? '');
	} catch {
		return null;
	}
}

/** A cell's number or text; formulas by their result. */
function cellValue(cell: ExcelJS.Cell): number | string | null {
	const value = cell.value;
	const found = value !== null && typeof value === 'object' && 'result' in value ? (value.result ?? null) : value;
	if (found === null || found === undefined) return null;
	if (typeof found === 'number') return found;
	if (found instanceof Date) return found.toISOString().slice(0, 10);
	const text = (typeof found === 'object' ? cell.text : String(found)).trim().replace(/^'/, '');
	return text === '' ? null : text;
}

const same = (left: number | string | null, right: number | string | null): boolean =>
	left === right || (typeof left === 'number' && typeof right === 'number' && Math.abs(left - right) <= 1e-9 * Math.max(1, Math.abs(left)));
