import type { CellLook } from './cell-look';
import { GLYPHS, paintOf, type CellGlyph } from './glyphs';

/** A cell with where it stands in its row: moving ones from the left, frozen ones from the right edge of what is in sight. */
export interface PlacedLook extends CellLook {
	width: number;
	left: number | undefined;
	right: number | undefined;
	/** Among the frozen cells of its row. */
	order: number;
	focused: boolean;
	selected: boolean;
	/** The stub of a folded group of columns: no cell, and nothing to be told. */
	stub: boolean;
}

interface Cell {
	element: HTMLTableCellElement;
	row: number;
	figure: Text;
	glyph: Element | undefined;
	/** What it shows; undefined for a new one, all of which is to be set. */
	look: PlacedLook | undefined;
}

/**
 * The cells of one row of a grid, drawn by hand: they are created from one template, and a change touches only what
 * differs. Drawn as components, creating a screen of them took about 16 ms by itself.
 */
export class RowCells {
	readonly #row: HTMLTableRowElement;
	readonly #end: Node;
	/** The row of the form that is shown. */
	#number = -1;
	readonly #idOf: (row: number, column: number) => string;
	#cells = new Map<number, Cell>();

	/** @param end the child of the row before which cells are put */
	constructor(row: HTMLTableRowElement, end: Node, idOf: (row: number, column: number) => string) {
		this.#row = row;
		this.#end = end;
		this.#idOf = idOf;
	}

	/** Shows these cells of a row and no others, in this order. Cells that stay keep their element, and with it the keyboard. */
	draw(number: number, looks: readonly PlacedLook[]): void {
		if (number !== this.#number) {
			// Serving for another row, none of its cells is where the keyboard was.
			if (this.#row.contains(document.activeElement)) (document.activeElement as HTMLElement).blur();
			this.#number = number;
		}
		const before = this.#cells;
		const now = new Map<number, Cell>();
		for (const look of looks) {
			const cell = before.get(keyOf(look));
			if (!cell) continue;
			before.delete(keyOf(look));
			now.set(keyOf(look), cell);
		}
		// One that scrolled out serves for one that scrolled in, unless it has the keyboard.
		const spare: Cell[] = [];
		for (const cell of before.values())
			if (document.activeElement === cell.element) cell.element.remove();
			else spare.push(cell);
		let next = this.#end;
		for (let index = looks.length - 1; index >= 0; index--) {
			const look = looks[index]!;
			const key = keyOf(look);
			let cell = now.get(key);
			if (!cell) now.set(key, (cell = spare.pop() ?? newCell()));
			this.#show(cell, look);
			if (cell.element.nextSibling !== next) this.#row.insertBefore(cell.element, next);
			next = cell.element;
		}
		for (const { element } of spare) element.remove();
		this.#cells = now;
	}

	#show(cell: Cell, look: PlacedLook): void {
		const { element, look: before } = cell;
		if (cell.row !== this.#number || before?.stub !== look.stub || before.column !== look.column) {
			this.#identify(cell, look);
			cell.row = this.#number;
			if (before?.stub !== look.stub) cell.look = undefined;
		}
		const known = cell.look;
		const isBare = look.text === '';
		if (
			known?.classes !== look.classes ||
			known.focused !== look.focused ||
			known.selected !== look.selected ||
			(known.text === '') !== isBare
		)
			element.className = `figure ${look.classes}${look.focused ? 'focused ' : ''}${look.selected ? 'selected ' : ''}${isBare ? 'bare' : ''}`;
		if (known?.left !== look.left || known?.right !== look.right || known?.width !== look.width || known?.order !== look.order) {
			const { style } = element;
			style.width = `${look.width}px`;
			style.left = look.left === undefined ? '' : `${look.left}px`;
			style.right = look.right === undefined ? '' : `${look.right}px`;
			style.order = look.right === undefined ? '' : String(look.order);
		}
		if (known?.text !== look.text) cell.figure.data = look.text;
		if (known?.title !== look.title) {
			if (look.title === undefined) element.removeAttribute('title');
			else element.title = look.title;
		}
		if (!look.stub) {
			if (known?.focused !== look.focused) element.tabIndex = look.focused ? 0 : -1;
			if (known?.focused !== look.focused || known.selected !== look.selected)
				element.setAttribute('aria-selected', String(look.focused || look.selected));
			if (known?.readOnly !== look.readOnly) element.setAttribute('aria-readonly', String(look.readOnly));
		}
		// The figure, and then what its looks mean.
		if (known?.words !== look.words || (look.words !== '' && known.text !== look.text)) {
			if (look.words === '') element.removeAttribute('aria-label');
			else element.setAttribute('aria-label', isBare ? look.words : `${look.text}, ${look.words}`);
		}
		if (known?.glyph !== look.glyph) {
			cell.glyph?.remove();
			cell.glyph = look.glyph && element.appendChild(glyphOf(look.glyph));
		}
		cell.look = look;
	}

	/** Makes an element the cell of a column, whatever it was. */
	#identify({ element }: Cell, look: PlacedLook): void {
		if (look.stub) {
			for (const name of [
				'id',
				'role',
				'tabindex',
				'aria-colindex',
				'aria-selected',
				'aria-readonly',
				'data-row',
				'data-column',
				'aria-label'
			])
				element.removeAttribute(name);
			element.setAttribute('aria-hidden', 'true');
			return;
		}
		element.removeAttribute('aria-hidden');
		element.id = this.#idOf(this.#number, look.column);
		element.setAttribute('role', 'gridcell');
		element.setAttribute('aria-colindex', String(look.column + 2));
		element.dataset.row = String(this.#number);
		element.dataset.column = String(look.column);
	}
}

/** Columns by number; a stub by the column at which its group begins, below zero. */
const keyOf = ({ stub, column }: PlacedLook): number => (stub ? -1 - column : column);

let template: HTMLTableCellElement | undefined;

function newCell(): Cell {
	if (!template) {
		template = document.createElement('td');
		template.append(document.createTextNode(' '));
	}
	const element = template.cloneNode(true) as HTMLTableCellElement;
	return { element, row: -1, figure: element.firstChild as Text, glyph: undefined, look: undefined };
}

const glyphs = new Map<string, Element>();
const SVG = 'http://www.w3.org/2000/svg';

function glyphOf(name: CellGlyph): Element {
	let glyph = glyphs.get(name);
	if (!glyph) {
		glyph = document.createElementNS(SVG, 'svg');
		for (const [attribute, value] of Object.entries({ class: `glyph ${name}`, viewBox: '0 0 10 10', 'aria-hidden': 'true' }))
			glyph.setAttribute(attribute, value);
		const path = glyph.appendChild(document.createElementNS(SVG, 'path'));
		for (const [attribute, value] of Object.entries(paintOf(GLYPHS[name]))) path.setAttribute(attribute, value);
		glyphs.set(name, glyph);
	}
	return glyph.cloneNode(true) as Element;
}
