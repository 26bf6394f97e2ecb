import { pastedStyle, type NumberStyle } from '$lib/core';
import { editableFigure, formatFigure, type FigureFormat } from '../figures/format';
import { fromClipboard, toClipboard } from './clipboard';
import type { Entry, EntryOptions } from './form-session.svelte';
import { alignBlock, type AlignedBlock } from './paste-block';
import { sortedRows, type RowOrder } from './sorted-rows';
import type { ShownForm } from './shown-form';

export interface Place {
	row: number;
	column: number;
}

/** A column of the grid, or the stub that a folded group of columns leaves. */
export type ColumnSlot = { kind: 'column'; column: number } | { kind: 'stub'; group: string; from: number };

/** Cells pasted at once: at most a block of this many. */
const MOST_PASTED = 20_000;

/** Rows whose figures say how wide a column must be. */
const MEASURED_ROWS = 300;

/** A semibold digit in pixels, and what stands around a figure with the mark of a draft before it. */
const CHARACTER_WIDTH = 7.1;
const FIGURE_MARGIN = 32;

/** Columns that may stand frozen at the right: the year's total and what follows it. */
const MOST_FROZEN = 3;

export const NAME_WIDTH = 236;
export const STUB_WIDTH = 30;

/** How a cell's figure is written: shares in percent, whatever the row counts; money and quantities in the grid's unit. */
export function formatAt({ rows, columns }: Pick<ShownForm, 'rows' | 'columns'>, row: number, column: number, scale = 1): FigureFormat {
	const across = columns[column];
	const line = across?.facts ?? rows[row]!;
	if (across?.percent) return { valueType: 'percent', decimals: across.decimals ?? 1, exactly: true };
	const isScaled = scale > 1 && (line.valueType === 'money' || line.valueType === 'quantity');
	return {
		valueType: line.valueType,
		decimals: across?.decimals ?? (isScaled ? Math.max(line.shownDecimals, 1) : line.shownDecimals),
		exactly: true,
		scale: isScaled ? scale : 1
	};
}

/** What the state needs of the session it shows. */
interface Shows {
	readonly form: ShownForm;
	readonly pending: ReadonlyMap<number, string>;
	readonly faults: ReadonlyMap<number, string>;
}

/** What a paste needs the person to decide. */
export interface PasteQuestion {
	example: string;
	style: NumberStyle;
	block: string[][];
}

/** Where the keyboard is in a grid, what is selected, folded, hidden and being edited. Rows and columns are those of the form. */
export class GridState {
	readonly #session: Shows;
	readonly #locale: () => string;
	readonly #enter: (entries: Entry[], options?: EntryOptions) => void;
	/** Told of what cannot be done, in a sentence. */
	readonly #say: (text: string) => void;
	focus = $state<Place>({ row: 0, column: 0 });
	/** The corner a selection began at. */
	anchor = $state<Place>({ row: 0, column: 0 });
	editing = $state(false);
	text = $state('');
	folded = $state.raw<Set<number>>(new Set());
	hiddenRows = $state.raw<Set<number>>(new Set());
	/** Folded groups of columns, by the column they begin at. */
	foldedGroups = $state.raw<Set<number>>(new Set());
	hideEmptyRows = $state(false);
	/** Rows in the order of a column's figures; as the form has them when undefined. */
	order = $state.raw<RowOrder | undefined>(undefined);
	hideEmptyColumns = $state(false);
	/** What figures count in: 1,000 for thousands. */
	scale = $state<1 | 1_000 | 1_000_000>(1);
	/** In percent. */
	zoom = $state(100);
	freezeTotal = $state(true);
	nameWidth = $state(NAME_WIDTH);
	/** Column widths a person has set. */
	widths = $state.raw<ReadonlyMap<number, number>>(new Map());
	/** Cells that keep their values when something above them is spread. */
	kept = $state.raw<ReadonlySet<number>>(new Set());
	/** After typing, Tab moves on within the grid; Esc gives it back to the page. */
	tabMoves = $state(false);
	/** A pasted block whose numbers fit two ways of writing waits for an answer. */
	question = $state.raw<PasteQuestion | null>(null);

	/** Rows that are neither hidden nor under a folded one. */
	readonly visibleRows = $derived.by(() => {
		const { form } = this.#session;
		const { rows, empty } = form;
		const visible: number[] = [];
		let hiddenBelow = Number.POSITIVE_INFINITY;
		const { order } = this;
		for (const index of order ? sortedRows(rows, (row) => form.value(row, order.column), order) : rows.keys()) {
			const row = rows[index]!;
			if (row.depth > hiddenBelow) continue;
			hiddenBelow = this.folded.has(index) ? row.depth : Number.POSITIVE_INFINITY;
			if (this.hiddenRows.has(index) || (this.hideEmptyRows && empty.rows.has(index))) continue;
			visible.push(index);
		}
		return visible;
	});
	readonly #placeOfRow = $derived(new Map(this.visibleRows.map((row, place) => [row, place])));

	/** The columns as drawn: folded groups leave a stub. */
	readonly slots = $derived.by(() => {
		const { columns, empty } = this.#session.form;
		const found: ColumnSlot[] = [];
		let folded: string | undefined;
		columns.forEach((column, index) => {
			const begins = index === 0 || columns[index - 1]!.group !== column.group;
			if (begins) folded = undefined;
			if (begins && column.group !== '' && this.foldedGroups.has(index)) {
				folded = column.group;
				found.push({ kind: 'stub', group: column.group, from: index });
			}
			if (folded !== undefined || (this.hideEmptyColumns && empty.columns.has(index))) return;
			found.push({ kind: 'column', column: index });
		});
		return found;
	});
	readonly visibleColumns = $derived(this.slots.flatMap((slot) => (slot.kind === 'column' ? [slot.column] : [])));
	readonly #placeOfColumn = $derived(new Map(this.visibleColumns.map((column, place) => [column, place])));

	/** How many slots stand frozen at the right: from the last year's total on. */
	readonly frozen = $derived.by(() => {
		if (!this.freezeTotal) return 0;
		const { columns } = this.#session.form;
		const isTotal = (slot: ColumnSlot) =>
			slot.kind === 'column' && (columns[slot.column]!.level === 'year' || columns[slot.column]!.kind === 'derived');
		const count = this.slots.length - 1 - this.slots.findLastIndex((slot) => !isTotal(slot));
		const hasYear = this.slots
			.slice(this.slots.length - count)
			.some((slot) => slot.kind === 'column' && columns[slot.column]!.level === 'year');
		return hasYear && count > 0 && count <= MOST_FROZEN && count < this.slots.length ? count : 0;
	});

	readonly selection = $derived.by(() => {
		const rows = [this.rowPlace(this.anchor.row), this.rowPlace(this.focus.row)].sort((a, b) => a - b);
		const columns = [this.columnPlace(this.anchor.column), this.columnPlace(this.focus.column)].sort((a, b) => a - b);
		return {
			rows: this.visibleRows.slice(rows[0], rows[1]! + 1),
			columns: this.visibleColumns.slice(columns[0], columns[1]! + 1),
			top: rows[0]!,
			bottom: rows[1]!,
			left: columns[0]!,
			right: columns[1]!
		};
	});

	constructor(
		session: Shows,
		locale: () => string,
		enter: (entries: Entry[], options?: EntryOptions) => void,
		say: (text: string) => void = () => {}
	) {
		this.#session = session;
		this.#locale = locale;
		this.#enter = enter;
		this.#say = say;
		const { rows, defaults } = session.form;
		this.folded = new Set(rows.flatMap((row, index) => (row.folded && this.hasRowsBeneath(index) ? [index] : [])));
		this.hideEmptyRows = defaults.hideEmptyRows;
		this.hideEmptyColumns = defaults.hideEmptyColumns;
		this.scale = defaults.scale;
		const first = Math.max(
			0,
			rows.findIndex(({ kind }) => kind !== 'text')
		);
		this.moveTo({ row: first, column: 0 });
	}

	get #form(): ShownForm {
		return this.#session.form;
	}

	hasRowsBeneath(row: number): boolean {
		const { rows } = this.#form;
		return !rows[row]!.totalAfter && rows[row + 1] !== undefined && rows[row + 1]!.depth > rows[row]!.depth;
	}

	/** Where a row stands among the visible ones; 0 when it is hidden. */
	rowPlace = (row: number): number => this.#placeOfRow.get(row) ?? 0;
	/** Where a column stands among the visible ones; 0 when it is hidden. */
	columnPlace = (column: number): number => this.#placeOfColumn.get(column) ?? 0;
	/** Where a column stands among the drawn slots. */
	slotOf = (column: number): number => this.slots.findIndex((slot) => slot.kind === 'column' && slot.column === column);

	isRowSelected(row: number): boolean {
		const place = this.#placeOfRow.get(row) ?? -1;
		return place >= this.selection.top && place <= this.selection.bottom;
	}

	isSelected(row: number, column: number): boolean {
		const { top, bottom, left, right } = this.selection;
		const [down, across] = [this.#placeOfRow.get(row) ?? -1, this.#placeOfColumn.get(column) ?? -1];
		return across >= left && across <= right && down >= top && down <= bottom;
	}

	get severalSelected(): boolean {
		const { top, bottom, left, right } = this.selection;
		return bottom > top || right > left;
	}

	/** A column's width in pixels before zooming. */
	widthOf(column: number): number {
		const line = this.#form.columns[column]!;
		return (
			this.widths.get(column) ??
			line.width ??
			Math.max(this.#widthOfFigures[column] ?? 0, line.kind === 'text' ? 16 : line.parent ? 98 : 84)
		);
	}

	/** What the figures of each column need: a figure that is cut off would be read as another one. */
	readonly #widthOfFigures = $derived.by(() => {
		const form = this.#form;
		const key = `${form.frame} ${this.scale}`;
		// Measured once for the lines; afterwards what was typed may ask for more.
		if (this.#measured.key !== key) {
			this.#measured = { key, longest: form.columns.map(() => 0) };
			for (let row = 0; row < Math.min(form.rows.length, MEASURED_ROWS); row++) if (form.has(row)) this.#measure(row);
		} else
			for (const row of new Set(
				[...form.drafted, ...form.draftedBeneath].slice(0, MEASURED_ROWS).map((cell) => Math.floor(cell / form.columns.length))
			))
				if (form.has(row)) this.#measure(row);
		return this.#measured.longest.map((characters) => Math.ceil(characters * CHARACTER_WIDTH) + FIGURE_MARGIN);
	});
	#measured: { key: string; longest: number[] } = { key: '', longest: [] };

	#measure(row: number): void {
		const form = this.#form;
		const { longest } = this.#measured;
		form.columns.forEach((line, column) => {
			if (line.kind === 'text' || form.value(row, column) === null || form.facts(row, column).coded) return;
			longest[column] = Math.max(longest[column]!, this.shownText(row, column).length);
		});
	}

	resize(column: number | 'name', width: number): void {
		const bounded = Math.round(Math.max(40, Math.min(width, 600)));
		if (column === 'name') this.nameWidth = Math.max(120, bounded);
		else this.widths = new Map([...this.widths, [column, bounded]]);
	}

	/** Keeps the focus inside the form when its lines have changed. */
	clamp(): void {
		const { rows, columns } = this.#form;
		if (this.order && this.order.column >= columns.length) this.order = undefined;
		const inside = ({ row, column }: Place): Place => ({
			row: Math.max(0, Math.min(row, rows.length - 1)),
			column: Math.max(0, Math.min(column, columns.length - 1))
		});
		this.focus = inside(this.focus);
		this.anchor = inside(this.anchor);
		this.folded = new Set([...this.folded].filter((row) => row < rows.length && this.hasRowsBeneath(row)));
		this.#stayVisible();
	}

	toggleFold(row: number): void {
		const folded = new Set(this.folded);
		if (!folded.delete(row)) folded.add(row);
		this.folded = folded;
		this.#stayVisible();
	}

	toggleGroup(column: number): void {
		const folded = new Set(this.foldedGroups);
		if (!folded.delete(column)) folded.add(column);
		this.foldedGroups = folded;
		this.#stayVisible();
	}

	foldAll(fold: boolean): void {
		this.folded = new Set(fold ? this.#form.rows.flatMap((_, row) => (this.hasRowsBeneath(row) ? [row] : [])) : []);
		this.#stayVisible();
	}

	/** Takes the selected rows out of sight. */
	hideSelected(): void {
		if (this.selection.rows.length === this.visibleRows.length) return;
		this.hiddenRows = new Set([...this.hiddenRows, ...this.selection.rows]);
		this.#stayVisible();
	}

	showHidden(): void {
		this.hiddenRows = new Set();
	}

	#stayVisible(): void {
		const { row, column } = this.focus;
		if (this.#placeOfRow.has(row) && this.#placeOfColumn.has(column)) return;
		const nearest = this.visibleRows.findLast((each) => each <= row) ?? this.visibleRows[0] ?? 0;
		this.moveTo({
			row: this.#placeOfRow.has(row) ? row : nearest,
			column: this.#placeOfColumn.has(column) ? column : (this.visibleColumns[0] ?? 0)
		});
	}

	moveTo(place: Place, extend = false): void {
		this.focus = place;
		if (!extend) this.anchor = place;
	}

	/** Opens what a row is folded under and goes there. */
	reveal({ row, column }: Place): void {
		const folded = new Set(this.folded);
		let depth = this.#form.rows[row]!.depth;
		for (let above = row - 1; above >= 0 && depth > 0; above--)
			if (this.#form.rows[above]!.depth < depth) {
				depth = this.#form.rows[above]!.depth;
				folded.delete(above);
			}
		this.folded = folded;
		this.hiddenRows = new Set([...this.hiddenRows].filter((each) => each !== row));
		this.moveTo({ row, column });
	}

	/** Moves by visible rows and columns; stops at the edges. */
	move(rows: number, columns: number, extend = false): void {
		const row = this.visibleRows[Math.max(0, Math.min(this.rowPlace(this.focus.row) + rows, this.visibleRows.length - 1))] ?? 0;
		const across = Math.max(0, Math.min(this.columnPlace(this.focus.column) + columns, this.visibleColumns.length - 1));
		this.moveTo({ row, column: this.visibleColumns[across] ?? 0 }, extend);
	}

	/** As far as it goes in one direction. */
	moveToEdge(rows: number, columns: number, extend = false): void {
		this.move(rows * this.visibleRows.length, columns * this.visibleColumns.length, extend);
	}

	selectAll(): void {
		this.anchor = { row: this.visibleRows[0] ?? 0, column: this.visibleColumns[0] ?? 0 };
		this.focus = { row: this.visibleRows.at(-1) ?? 0, column: this.visibleColumns.at(-1) ?? 0 };
	}

	selectRow(row: number, extend = false): void {
		this.anchor = { row: extend ? this.anchor.row : row, column: this.visibleColumns[0] ?? 0 };
		this.focus = { row, column: this.visibleColumns.at(-1) ?? 0 };
	}

	selectColumn(column: number, extend = false): void {
		this.anchor = { row: this.visibleRows[0] ?? 0, column: extend ? this.anchor.column : column };
		this.focus = { row: this.visibleRows.at(-1) ?? 0, column };
	}

	/** A cell as it is shown. */
	shownText(row: number, column: number): string {
		const form = this.#form;
		return form.word(row, column) ?? formatFigure(form.value(row, column), formatAt(form, row, column, this.scale), this.#locale());
	}

	/** What a cell is edited as; what was just typed there while it is on its way. */
	editableText({ row, column }: Place): string {
		const form = this.#form;
		const typed = this.#session.pending.get(form.cell(row, column));
		if (typed !== undefined) return typed;
		return form.word(row, column) ?? editableFigure(form.value(row, column), formatAt(form, row, column, this.scale), this.#locale());
	}

	startEdit(text?: string): void {
		this.text = text ?? this.editableText(this.focus);
		this.editing = true;
		this.tabMoves = true;
		this.anchor = this.focus;
	}

	/** Hands what was typed over, unless nothing changed. */
	commit(): void {
		if (!this.editing) return;
		this.editing = false;
		// An entry that did not arrive may be sent again as it is; one still on its way may not.
		const cell = this.#form.cell(this.focus.row, this.focus.column);
		const unsent = this.#session.pending.has(cell) && this.#session.faults.has(cell);
		if (!unsent && this.text.trim() === this.editableText(this.focus)) return;
		// Emptied words mean that there are none, also where some were loaded; figures lose their entry.
		const { coded } = this.#form.facts(this.focus.row, this.focus.column);
		this.#send([{ ...this.focus, text: this.text, ...(coded && this.text.trim() === '' && { empties: true }) }]);
	}

	cancel(): void {
		this.editing = false;
	}

	#send(entries: Entry[], options: EntryOptions = {}): void {
		const { columns } = this.#form;
		const kept = [...this.kept].map((cell) => ({ row: Math.floor(cell / columns.length), column: cell % columns.length }));
		this.#enter(entries, { ...options, ...(this.scale > 1 && { scale: this.scale }), ...(kept.length > 0 && { kept }) });
	}

	/** Keeps the selected cells out of spreads, or lets them take part again. */
	toggleKept(): void {
		const cells = this.#selectedPlaces().map(({ row, column }) => this.#form.cell(row, column));
		const kept = new Set(this.kept);
		const all = cells.every((cell) => kept.has(cell));
		for (const cell of cells)
			if (all) kept.delete(cell);
			else kept.add(cell);
		this.kept = kept;
	}

	/** Takes away the entries of the selection. */
	clear(): void {
		this.#send(this.#writable(this.#selectedPlaces()).map((place) => ({ ...place, text: '' })));
	}

	/** Repeats the first selected row downwards. */
	fillDown(): void {
		const { rows, columns } = this.selection;
		this.#send(this.#writable(rows.slice(1).flatMap((row) => columns.map((column) => ({ row, column, from: { row: rows[0]!, column } })))));
	}

	/** Repeats the first selected column to the right. */
	fillRight(): void {
		const { rows, columns } = this.selection;
		this.#send(
			this.#writable(columns.slice(1).flatMap((column) => rows.map((row) => ({ row, column, from: { row, column: columns[0]! } }))))
		);
	}

	/** Enters the same text into every selected cell. */
	enterAll(text: string): void {
		this.#send(this.#writable(this.#selectedPlaces()).map((place) => ({ ...place, text })));
	}

	/** Those of some cells that take entries, with what they copy; a lone cell is asked for whatever it is, to hear why not. */
	#writable(places: readonly (Place & { from?: Place })[]): Entry[] {
		const takes = places.length === 1 ? places : places.filter(({ row, column }) => this.#form.takesEntry(row, column));
		if (takes.length === 0 && places.length > 0) this.#say('None of these cells takes entries.');
		return takes.map(({ row, column, from }) => ({ row, column, text: from ? this.editableText(from) : '' }));
	}

	/** The selection for the clipboard; with the names of its rows and columns when asked. */
	copy(withNames = false): string {
		const { rows, columns } = this.selection;
		const cells = rows.map((row) => columns.map((column) => this.editableText({ row, column })));
		if (!withNames) return toClipboard(cells);
		const { rows: lines, columns: across } = this.#form;
		return toClipboard([
			['', ...columns.map((column) => across[column]!.label)],
			...cells.map((line, index) => [lines[rows[index]!]!.label, ...line])
		]);
	}

	/**
	 * Pastes a block from the focus on; one that brings the names of rows and columns goes where they say. A single cell fills
	 * the whole selection. Where the numbers fit two ways of writing it asks once.
	 */
	paste(text: string, own: NumberStyle): void {
		const block = fromClipboard(text);
		const size = block.reduce((count, line) => count + line.length, 0);
		if (size === 0) return;
		if (size > MOST_PASTED) {
			this.#say(
				`This block has ${size.toLocaleString(this.#locale())} cells; at most ${MOST_PASTED.toLocaleString(this.#locale())} fit at once. Paste it in parts.`
			);
			return;
		}
		const found = pastedStyle(block.flat(), own);
		if (found.kind === 'either') this.question = { example: found.example, style: found.style, block };
		else this.#pasteBlock(block, found.kind === 'other' ? found.style : undefined);
	}

	/** How the last block was read, and what of it has no place on the form; until it is hidden or another is pasted. */
	pasted = $state.raw<{ words: string; lost: AlignedBlock['lost'] } | null>(null);

	/** Answers the question of a paste; another block may be written in another way, and asks again. */
	answerPaste(style: NumberStyle): void {
		const { question } = this;
		this.question = null;
		if (question) this.#pasteBlock(question.block, style);
	}

	#pasteBlock(block: string[][], style: NumberStyle | undefined): void {
		const options: EntryOptions = style ? { style } : {};
		if (block.length === 1 && block[0]!.length === 1 && this.severalSelected) {
			this.#send(
				this.#writable(this.#selectedPlaces()).map((place) => ({ ...place, text: block[0]![0]! })),
				options
			);
			return;
		}
		const { top, left } = this.selection;
		const { rows, columns } = this.#form;
		const aligned = alignBlock(
			block,
			{ labels: this.visibleRows.map((row) => rows[row]!.label), first: top },
			{ labels: this.visibleColumns.map((column) => columns[column]!.label), first: left }
		);
		this.#send(
			aligned.cells.map(({ down, across, text }) => ({ row: this.visibleRows[down]!, column: this.visibleColumns[across]!, text })),
			options
		);
		// Cells that lie beyond the form stay listed until one has seen them.
		this.pasted = block.length > 1 || aligned.lost.length > 0 ? { words: wordsOfPaste(aligned), lost: aligned.lost } : null;
	}

	/** Rows, columns and figures that hold a text, row by row. */
	find(text: string): Place[] {
		const wanted = text.trim().toLowerCase();
		if (wanted === '') return [];
		const { rows, columns } = this.#form;
		const found: Place[] = [];
		const first = this.visibleColumns[0] ?? 0;
		rows.forEach((line, row) => {
			if (line.label.toLowerCase().includes(wanted) || line.code.toLowerCase() === wanted) found.push({ row, column: first });
			else if (this.#form.has(row))
				for (const column of columns.keys()) if (this.shownText(row, column).toLowerCase().includes(wanted)) found.push({ row, column });
		});
		columns.forEach((line, column) => {
			if (line.label.toLowerCase().includes(wanted)) found.push({ row: this.visibleRows[0] ?? 0, column });
		});
		return found.slice(0, 1_000);
	}

	/** The selected leaf figures of one unit, added up; parents would count twice. */
	readonly totals = $derived.by(() => {
		const { rows, columns } = this.#form;
		const picked: number[] = [];
		let unit: string | undefined;
		let selected = 0;
		let mixed = false;
		const across = this.selection.columns.filter((column) => {
			const line = columns[column]!;
			return line.kind === 'cells' && !line.parent && !line.computed;
		});
		for (const row of this.selection.rows) {
			selected += this.selection.columns.length;
			const line = rows[row]!;
			if (line.parent || line.kind !== 'cells') continue;
			for (const column of across) {
				const facts = this.#form.facts(row, column);
				if (facts.formula !== null || facts.coded || facts.valueType === 'date') continue;
				const own = facts.unit ?? facts.valueType;
				const value = this.#form.value(row, column);
				if (value === null) continue;
				if (unit !== undefined && unit !== own) mixed = true;
				unit ??= own;
				if (unit === own) picked.push(value);
			}
		}
		const sum = picked.reduce((total, value) => total + value, 0);
		return { sum, count: picked.length, average: picked.length > 0 ? sum / picked.length : 0, unit, selected, mixed };
	});

	#selectedPlaces(): Place[] {
		const { rows, columns } = this.selection;
		return rows.flatMap((row) => columns.map((column) => ({ row, column })));
	}
}

/** How a pasted block was read. */
function wordsOfPaste({ names, titles, lost, cells }: AlignedBlock): string {
	const read =
		names === 'none'
			? 'No names of rows or columns were recognised in the block: it went from the chosen cell on.'
			: `The names of ${names} in the block were recognised: its figures went where they say.`;
	const above =
		titles === 0 ? '' : ` ${titles === 1 ? 'One line' : `${titles} lines`} above them ${titles === 1 ? 'was' : 'were'} taken for a title.`;
	const left =
		lost.length === 0
			? ''
			: ` ${lost.length === 1 ? 'One figure has' : `${lost.length} figures have`} no place on this form; ${cells.length === 1 ? 'one was' : `${cells.length} were`} pasted.`;
	return read + above + left;
}
