import ExcelJS from 'exceljs';
import { z } from 'zod';
import { pool } from '../database';
import { askEngine, type FormAnswer } from '../engine';
import { Fault } from '../fault';
import { requirePermission, type SignedIn } from '../session';
import { guarded } from '../structure/sheets';
import { unpack, type PlainCell, type PlainSheet } from '../unpack';
import { draftVersion } from './draft';
import { choicesSchema, formAsk, readForm, type FormChoices } from './open';

/** Forms with more cells than this do not go into a workbook. */
const MOST_CELLS = 100_000;

/** Workbooks that come back are at most this large. */
export const MOST_WORKBOOK_BYTES = 12 * 1024 * 1024;

/** The hidden sheet that says what the workbook was made of. */
const FACTS_SHEET = 'About this workbook';
const FORMAT = 'noble lattice form 2';

/** Rows above the grid: the form's name, what was chosen, an empty line, the hidden keys of columns, two lines of headings. */
const HEAD_ROWS = 6;

/** What stands at the head of the hidden keys: they say what a row or column is, wherever it has been moved. */
const COLUMN_KEYS = 'Keys of columns: do not change';
const ROW_KEYS = 'Keys of rows: do not change';

/** How cells for typing are marked, as the grid marks them: a dotted line beneath, on a pale ground. */
const TYPE_HERE: Partial<ExcelJS.Style> = {
	fill: { type: 'pattern', pattern: 'solid', fgColor: { argb: 'FFFBFAF0' } },
	border: { bottom: { style: 'dotted', color: { argb: 'FF8C826F' } } }
};

const factsSchema = z.object({
	format: z.literal(FORMAT),
	form: z.string(),
	/** The branch it was made in; none is the plan. */
	branch: z.int().nullable().default(null),
	choices: choicesSchema,
	/** The name of the sheet with the figures. */
	sheet: z.string(),
	/** What stands in each row and column of the sheet of facts. */
	columns: z.array(z.string()).max(20_000),
	rows: z.array(z.string()).max(100_000)
});

/** Names lines by what they are, so that they are found wherever they stand: the block, and the members of the line. */
function keysOf(lines: readonly (FormAnswer['rows'][number] | FormAnswer['columns'][number])[]): string[] {
	const met = new Map<string, number>();
	return lines.map(({ kind, block, label, members }) => {
		const of = Object.entries(members)
			.map(([dimension, member]) => `${dimension}=${member}`)
			.join(' ');
		const key = `${block} ${kind === 'cells' ? of : `${kind} ${label} ${of}`}`.trim();
		const times = met.get(key) ?? 0;
		met.set(key, times + 1);
		return times === 0 ? key : `${key} (${times + 1})`;
	});
}

async function wholeForm(person: SignedIn, modelId: number, code: string, choices: FormChoices) {
	const stored = await readForm(person, modelId, code);
	const ask = await formAsk(person, modelId, stored.layout, choices, await draftVersion(pool(), person, modelId));
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
		...(form.restricted ? [PART_ONLY] : []),
		...(form.trial ? [guarded(`As “${form.trial.name}” would leave it; that has not run`)] : [])
	]);
	sheet.addRow([]);
	const [rowKeys, columnKeys] = [keysOf(form.rows), keysOf(form.columns)];
	sheet.addRow([COLUMN_KEYS, ...columnKeys, ROW_KEYS]).hidden = true;
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
			}),
			rowKeys[row]!
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
	sheet.getColumn(form.columns.length + 2).hidden = true;
	// Without a password: it keeps slips away, nobody out.
	await sheet.protect('', { selectLockedCells: true, selectUnlockedCells: true, formatColumns: true, formatRows: true });
	const facts = workbook.addWorksheet(FACTS_SHEET, { state: 'veryHidden' });
	facts.addRow([
		JSON.stringify({
			format: FORMAT,
			form: code,
			branch: person?.branch?.id ?? null,
			choices,
			sheet: sheet.name,
			columns: columnKeys,
			rows: rowKeys
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
		name: `${name}${form.restricted ? ', of what may be read' : ''}${form.trial ? `, as “${form.trial.name}” would leave it` : ''}`,
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

/** Said in whatever leaves with totals of a part. */
const PART_ONLY = 'Totals are of what the reader may read, not of all';

/** What a workbook that came back would do to the form. */
export interface WorkbookReading {
	choices: FormChoices;
	/** The lines of the form at these choices: rows and columns below are places among them. */
	structure: number;
	frame: string;
	/** What was found in it besides: rows without a key, lines that are missing. */
	remarks: string[];
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
	/** Of an emptied cell: what taking its entry away will show. */
	effect?: string;
	reason: string;
}

/**
 * Reads a workbook of a form back: what was changed in it, what others changed meanwhile, what may not be entered. The sheet
 * is found by its name and its rows and columns by their keys, wherever they have been moved. Nothing is written; the page
 * enters the changes into the draft.
 * @throws Fault when it is not a workbook of this form, or its keys are gone or there twice
 */
export async function readWorkbook(person: SignedIn | undefined, modelId: number, code: string, bytes: Buffer): Promise<WorkbookReading> {
	const writer = requirePermission(person, 'form.enter');
	const sheets = await sheetsOf(bytes);
	const facts = sheets.get(FACTS_SHEET);
	const parsed = factsSchema.safeParse(jsonOrNull(facts?.at(1, 1).text));
	if (!facts || !parsed.success)
		throw notUnderstood('This is not a workbook of this form: the sheet that describes it is missing. Download it again.');
	const { choices, form: from, branch } = parsed.data;
	if (from !== code) throw notUnderstood('This workbook belongs to another form. Open that one and upload it there.');
	// What is different is told against what it was made of.
	if (branch !== (writer.branch?.id ?? null))
		throw notUnderstood(
			branch === null
				? 'This workbook was made of the plan. Leave the branch and upload it there.'
				: 'This workbook was made in a branch. Go into that branch and upload it there.'
		);
	const sheet = sheets.get(parsed.data.sheet);
	if (!sheet)
		throw notUnderstood(
			`The sheet “${parsed.data.sheet}” is missing in this workbook. Give it its name back, or download the workbook again.`
		);
	const places = findKeys(sheet);
	const { form } = await wholeForm(writer, modelId, code, choices);
	const reading: WorkbookReading = {
		choices,
		structure: form.structure,
		frame: form.frame,
		remarks: [],
		changes: [],
		refused: [],
		conflicts: []
	};
	const [rowOf, columnOf] = [placesByKey(keysOf(form.rows)), placesByKey(keysOf(form.columns))];
	const missing = [parsed.data.rows.filter((key) => !places.rows.has(key)), parsed.data.columns.filter((key) => !places.columns.has(key))];
	const named = (count: number, what: string) => (count === 1 ? `One ${what} of the form is` : `${count} ${what}s of the form are`);
	if (missing[0]!.length > 0)
		reading.remarks.push(`${named(missing[0]!.length, 'row')} not in the workbook any more; nothing changes there.`);
	if (missing[1]!.length > 0)
		reading.remarks.push(`${named(missing[1]!.length, 'column')} not in the workbook any more; nothing changes there.`);
	if (places.loose > 0)
		reading.remarks.push(
			`${places.loose === 1 ? 'One row' : `${places.loose} rows`} of the workbook, filled in below the headings, ${places.loose === 1 ? 'is' : 'are'} no row of the form and ${places.loose === 1 ? 'was' : 'were'} not read.`
		);
	const wordOf = wordsByCell(form);
	for (const [factRow, rowKey] of parsed.data.rows.entries())
		for (const [factColumn, columnKey] of parsed.data.columns.entries()) {
			const [sheetRow, sheetColumn] = [places.rows.get(rowKey), places.columns.get(columnKey)];
			if (sheetRow === undefined || sheetColumn === undefined) continue;
			const was = facts.at(factRow + 2, factColumn + 1).value;
			const found = sheet.at(sheetRow, sheetColumn);
			const { trouble: unreadable, value: is } = found;
			if (unreadable === undefined && same(was, is)) continue;
			const [row, column] = [rowOf.get(rowKey), columnOf.get(columnKey)];
			const label = (line: number) => sheet.at(line, places.names).text.trim();
			const words = `${row === undefined ? label(sheetRow) : form.rows[row]!.label}, ${column === undefined ? sheet.at(places.heading, sheetColumn).text : form.columns[column]!.label}`;
			const isPercent =
				row !== undefined &&
				column !== undefined &&
				(form.columns[column]!.percent || (form.columns[column]!.facts ?? form.rows[row]!).valueType === 'percent');
			const change: WorkbookChange = {
				row: row ?? -1,
				column: column ?? -1,
				words,
				before: was === null ? '' : String(was),
				text: typeof is === 'number' ? plain(isPercent ? is * 100 : is) : (is ?? ''),
				reason: ''
			};
			if (row === undefined || column === undefined) {
				reading.refused.push({ ...change, reason: 'This line is not on the form any more.' });
				continue;
			}
			const cell = row * form.columns.length + column;
			const mark = form.marks[cell];
			if (unreadable !== undefined)
				reading.refused.push({ ...change, text: found.formula ? `=${found.formula}` : found.text, reason: unreadable });
			else if (mark !== 'e' && mark !== 's')
				reading.refused.push({
					...change,
					reason: mark === 'x' ? 'It is closed.' : mark === 'h' ? 'It is held for others.' : 'It is computed, or not yours to write.'
				});
			else if (!same(was, wordOf(cell, row))) reading.conflicts.push({ ...change, now: String(wordOf(cell, row) ?? '') });
			else reading.changes.push(change);
		}
	await sayWhatComesOfIt(writer, modelId, code, choices, reading);
	return reading;
}

/** Cells whose text is tried before anything is taken; what is wrong with others is said when they are. */
const MOST_TRIED = 2_000;
const TRIED_AT_ONCE = 50;

/** Says of each emptied cell what becomes of it; those that have no entry to take away, or take no such figure, are refused. */
async function sayWhatComesOfIt(
	writer: SignedIn,
	modelId: number,
	code: string,
	choices: FormChoices,
	reading: WorkbookReading
): Promise<void> {
	const emptied = [...reading.changes, ...reading.conflicts].slice(0, MOST_TRIED);
	if (emptied.length === 0) return;
	const { layout } = await readForm(writer, modelId, code);
	const ask = await formAsk(writer, modelId, layout, choices, await draftVersion(pool(), writer, modelId));
	const effects: ({ words: string } | { fault: string })[] = [];
	// A few at a time, so that what others ask comes in between.
	for (let at = 0; at < emptied.length; at += TRIED_AT_ONCE) {
		const cells = emptied.slice(at, at + TRIED_AT_ONCE).map(({ row, column, text }) => ({ row, column, text }));
		effects.push(...(await askEngine(modelId, 'emptied', { ...ask, cells, style: { decimal: '.', group: '' } })).effects);
	}
	emptied.forEach((change, index) => {
		const effect = effects[index]!;
		if ('fault' in effect) change.reason = effect.fault;
		else if (effect.words !== '') change.effect = effect.words;
	});
	const isRefused = ({ reason }: WorkbookChange) => reason !== '';
	reading.refused.push(...reading.changes.filter(isRefused), ...reading.conflicts.filter(isRefused));
	reading.changes = reading.changes.filter((change) => !isRefused(change));
	reading.conflicts = reading.conflicts.filter((change) => !isRefused(change));
}

/** Where the keys of a sheet stand: rows and columns by key, the columns' headings, the column of names, and filled rows without a key. */
interface SheetKeys {
	rows: Map<string, number>;
	columns: Map<string, number>;
	heading: number;
	names: number;
	loose: number;
}

function findKeys(sheet: Sheet): SheetKeys {
	let head: { row: number; names: number; keys: number } | undefined;
	for (const row of sheet.filledRows()) {
		let names: number | undefined;
		let keys: number | undefined;
		for (const [column, { text }] of sheet.filledCells(row)) {
			if (text === COLUMN_KEYS) names = column;
			if (text === ROW_KEYS) keys = column;
		}
		if (names === undefined || keys === undefined) continue;
		head = { row, names, keys };
		break;
	}
	if (!head)
		throw notUnderstood(
			'The hidden keys that say what each row and column is are gone from this workbook. Download it again and take your figures over.'
		);
	const { row: headRow, names, keys } = head;
	const found: SheetKeys = { rows: new Map(), columns: new Map(), heading: headRow + 2, names, loose: 0 };
	const once = (map: Map<string, number>, key: string, place: number, what: string) => {
		if (map.has(key)) throw notUnderstood(`${what} is twice in this workbook. Remove the copy and upload it again.`);
		map.set(key, place);
	};
	for (const [column, { text }] of sheet.filledCells(headRow))
		if (column !== names && column !== keys && text.trim() !== '')
			once(found.columns, text.trim(), column, `The column “${sheet.at(headRow + 2, column).text}”`);
	for (const row of sheet.filledRows()) {
		if (row <= headRow + 2) continue;
		const key = sheet.at(row, keys).text.trim();
		if (key !== '') once(found.rows, key, row, `The row “${sheet.at(row, names).text.trim()}”`);
		else if ([...found.columns.values()].some((column) => sheet.at(row, column).text.trim() !== '')) found.loose++;
	}
	return found;
}

const placesByKey = (keys: readonly string[]): Map<string, number> => new Map(keys.map((key, place) => [key, place]));
const notUnderstood = (message: string): Fault => new Fault(422, 'not understood', message);

const plain = (value: number): string =>
	Number(value.toPrecision(15)).toLocaleString('en', { useGrouping: false, maximumFractionDigits: 10 });

/** A sheet with its cells by row and column from 1. */
class Sheet {
	readonly name: string;
	readonly #rows: PlainSheet['rows'];

	constructor({ name, rows }: PlainSheet) {
		this.name = name;
		this.#rows = rows;
	}

	at(row: number, column: number): PlainCell {
		return this.#rows[row]?.[column] ?? NO_CELL;
	}

	*filledRows(): Generator<number> {
		for (let row = 1; row < this.#rows.length; row++) if (this.#rows[row]?.some(Boolean)) yield row;
	}

	*filledCells(row: number): Generator<[column: number, cell: PlainCell]> {
		const cells = this.#rows[row] ?? [];
		for (let column = 1; column < cells.length; column++) if (cells[column]) yield [column, cells[column]!];
	}
}
const NO_CELL: PlainCell = { text: '', value: null };

async function sheetsOf(bytes: Buffer): Promise<Map<string, Sheet>> {
	if (bytes.length > MOST_WORKBOOK_BYTES)
		throw new Fault(413, 'too large', `The workbook is larger than ${MOST_WORKBOOK_BYTES / 1024 / 1024} MB.`);
	return new Map((await unpack('sheets', { bytes })).map((sheet) => [sheet.name, new Sheet(sheet)]));
}

function jsonOrNull(text: string | undefined): unknown {
	try {
		return JSON.parse(text ?? '');
	} catch {
		return null;
	}
}

const same = (left: number | string | null, right: number | string | null): boolean =>
	left === right || (typeof left === 'number' && typeof right === 'number' && Math.abs(left - right) <= 1e-9 * Math.max(1, Math.abs(left)));
