import type { FormAnswer } from '$lib/server/engine';
import { editableFigure, type FigureFormat } from '../figures/format';
import { fromClipboard, toClipboard } from './clipboard';
import type { Entry } from './form-session.svelte';

export interface Place {
	row: number;
	column: number;
}

/** How a cell's figure is written: shares in percent, whatever the row counts. */
export const formatAt = ({ rows, columns }: Pick<FormAnswer, 'rows' | 'columns'>, row: number, column: number): FigureFormat =>
	columns[column]?.percent
		? { valueType: 'percent', decimals: columns[column].decimals ?? 1 }
		: { valueType: rows[row]!.valueType, decimals: rows[row]!.shownDecimals };

/** Where the keyboard is in a grid, what is selected, folded and being edited. Rows and columns are those of the form. */
export class GridState {
	readonly #form: () => FormAnswer;
	readonly #locale: () => string;
	/** What was typed and the server has not answered yet, by cell. */
	readonly #pending: () => ReadonlyMap<number, string>;
	/** What was refused or did not arrive, by cell. */
	readonly #faults: () => ReadonlyMap<number, string>;
	readonly #enter: (entries: Entry[]) => void;
	focus = $state<Place>({ row: 0, column: 0 });
	/** The corner a selection began at. */
	anchor = $state<Place>({ row: 0, column: 0 });
	editing = $state(false);
	text = $state('');
	folded = $state.raw<Set<number>>(new Set());
	/** After typing, Tab moves on within the grid; Esc gives it back to the page. */
	tabMoves = $state(false);

	/** Rows that are not hidden under a folded one. */
	readonly visibleRows = $derived.by(() => {
		const rows = this.#form().rows;
		const visible: number[] = [];
		let hiddenBelow = Number.POSITIVE_INFINITY;
		rows.forEach((row, index) => {
			if (row.depth > hiddenBelow) return;
			hiddenBelow = this.folded.has(index) ? row.depth : Number.POSITIVE_INFINITY;
			visible.push(index);
		});
		return visible;
	});

	readonly selection = $derived.by(() => {
		const rowAt = (row: number) => Math.max(0, this.visibleRows.indexOf(row));
		const rows = [rowAt(this.anchor.row), rowAt(this.focus.row)].sort((a, b) => a - b);
		const columns = [this.anchor.column, this.focus.column].sort((a, b) => a - b);
		return { rows: this.visibleRows.slice(rows[0], rows[1]! + 1), from: columns[0]!, to: columns[1]! };
	});

	constructor(
		session: { readonly form: FormAnswer; readonly pending: ReadonlyMap<number, string>; readonly faults: ReadonlyMap<number, string> },
		locale: () => string,
		enter: (entries: Entry[]) => void
	) {
		this.#form = () => session.form;
		this.#faults = () => session.faults;
		this.#locale = locale;
		this.#pending = () => session.pending;
		this.#enter = enter;
		const { rows } = session.form;
		// Groups open two levels deep; the rest waits for a click.
		this.folded = new Set(
			rows.flatMap((row, index) => (row.depth >= 1 && rows[index + 1] && rows[index + 1]!.depth > row.depth ? [index] : []))
		);
	}

	hasRowsBeneath(row: number): boolean {
		const { rows } = this.#form();
		return rows[row + 1] !== undefined && rows[row + 1]!.depth > rows[row]!.depth;
	}

	isSelected(row: number, column: number): boolean {
		const { rows, from, to } = this.selection;
		return column >= from && column <= to && rows.includes(row);
	}

	get severalSelected(): boolean {
		return this.selection.rows.length > 1 || this.selection.to > this.selection.from;
	}

	/** Keeps the focus inside the form when its lines have changed. */
	clamp(): void {
		const { rows, columns } = this.#form();
		const inside = ({ row, column }: Place): Place => ({
			row: Math.max(0, Math.min(row, rows.length - 1)),
			column: Math.max(0, Math.min(column, columns.length - 1))
		});
		this.focus = inside(this.focus);
		this.anchor = inside(this.anchor);
		this.folded = new Set([...this.folded].filter((row) => row < rows.length && this.hasRowsBeneath(row)));
	}

	toggleFold(row: number): void {
		const folded = new Set(this.folded);
		if (!folded.delete(row)) folded.add(row);
		this.folded = folded;
		if (!this.visibleRows.includes(this.focus.row)) this.moveTo({ row, column: this.focus.column });
	}

	foldAll(fold: boolean): void {
		this.folded = new Set(fold ? this.#form().rows.flatMap((_, row) => (this.hasRowsBeneath(row) ? [row] : [])) : []);
		if (!this.visibleRows.includes(this.focus.row)) this.moveTo({ row: this.visibleRows[0] ?? 0, column: this.focus.column });
	}

	moveTo(place: Place, extend = false): void {
		this.focus = place;
		if (!extend) this.anchor = place;
	}

	/** Moves by visible rows and columns; stops at the edges. */
	move(rows: number, columns: number, extend = false): void {
		const at = Math.max(0, this.visibleRows.indexOf(this.focus.row));
		const row = this.visibleRows[Math.max(0, Math.min(at + rows, this.visibleRows.length - 1))] ?? 0;
		const column = Math.max(0, Math.min(this.focus.column + columns, this.#form().columns.length - 1));
		this.moveTo({ row, column }, extend);
	}

	/** As far as it goes in one direction. */
	moveToEdge(rows: number, columns: number, extend = false): void {
		this.move(rows * this.visibleRows.length, columns * this.#form().columns.length, extend);
	}

	/** What a cell is edited as; what was just typed there while it is on its way. */
	editableText({ row, column }: Place): string {
		const { values, columns, rows } = this.#form();
		const typed = this.#pending().get(row * columns.length + column);
		if (typed !== undefined) return typed;
		return editableFigure(values[row * columns.length + column] ?? null, formatAt({ rows, columns }, row, column), this.#locale());
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
		const { row, column } = this.focus;
		// An entry that did not arrive may be sent again as it is; one still on its way may not.
		const cell = row * this.#form().columns.length + column;
		const unsent = this.#pending().has(cell) && this.#faults().has(cell);
		if (unsent || this.text.trim() !== this.editableText(this.focus)) this.#enter([{ ...this.focus, text: this.text }]);
	}

	cancel(): void {
		this.editing = false;
	}

	/** Takes away the entries of the selection. */
	clear(): void {
		this.#enter(this.#selectedPlaces().map((place) => ({ ...place, text: '' })));
	}

	/** Repeats the first selected row downwards. */
	fillDown(): void {
		const { rows, from, to } = this.selection;
		const entries: Entry[] = [];
		for (let column = from; column <= to; column++) {
			const text = this.editableText({ row: rows[0]!, column });
			for (const row of rows.slice(1)) entries.push({ row, column, text });
		}
		this.#enter(entries);
	}

	copy(): string {
		const { rows, from, to } = this.selection;
		return toClipboard(
			rows.map((row) => Array.from({ length: to - from + 1 }, (_, offset) => this.editableText({ row, column: from + offset })))
		);
	}

	/** Enters a copied block from the selection's first cell on; one value fills the whole selection. */
	paste(clipboard: string): void {
		const block = fromClipboard(clipboard);
		if (block.length === 0) return;
		const single = block.length === 1 && block[0]!.length === 1;
		if (single && this.severalSelected) {
			this.#enter(this.#selectedPlaces().map((place) => ({ ...place, text: block[0]![0]! })));
			return;
		}
		const { rows, from } = this.selection;
		const firstRow = this.visibleRows.indexOf(rows[0]!);
		const columns = this.#form().columns.length;
		const entries: Entry[] = [];
		block.forEach((line, down) =>
			line.forEach((text, across) => {
				const row = this.visibleRows[firstRow + down];
				if (row !== undefined && from + across < columns) entries.push({ row, column: from + across, text });
			})
		);
		this.#enter(entries);
	}

	/** The selected leaf figures of one unit, added up; parents would count twice. */
	readonly totals = $derived.by(() => {
		const { rows, columns, values } = this.#form();
		const picked: number[] = [];
		let unit: string | undefined;
		let selected = 0;
		let mixed = false;
		for (const row of this.selection.rows)
			for (let column = this.selection.from; column <= this.selection.to; column++) {
				selected++;
				const line = rows[row]!;
				const value = values[row * columns.length + column];
				if (
					line.parent ||
					columns[column]!.parent ||
					columns[column]!.computed ||
					line.formula !== null ||
					value === null ||
					value === undefined
				)
					continue;
				const own = line.unit ?? line.valueType;
				if (unit !== undefined && unit !== own) mixed = true;
				unit ??= own;
				if (unit === own) picked.push(value);
			}
		const sum = picked.reduce((total, value) => total + value, 0);
		return { sum, count: picked.length, average: picked.length > 0 ? sum / picked.length : 0, unit, selected, mixed };
	});

	#selectedPlaces(): Place[] {
		const { rows, from, to } = this.selection;
		return rows.flatMap((row) => Array.from({ length: to - from + 1 }, (_, offset) => ({ row, column: from + offset })));
	}
}
