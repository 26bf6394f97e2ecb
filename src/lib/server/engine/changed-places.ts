import type { CompiledQuery, FormLine, Model, Overlay } from '../../core';

/** Where a form shows a leaf cell: on the lines that are, or are above, its members. */
export class ChangedPlaces {
	readonly #model: Model;
	readonly #query: CompiledQuery;
	readonly #rows: readonly FormLine[];
	readonly #columns: readonly FormLine[];
	/** The lines that show a leaf, by axis and the leaf's members there: a draft meets the same few again and again. */
	readonly #hits = new Map<string, number[]>();

	constructor(model: Model, query: CompiledQuery, rows: readonly FormLine[], columns: readonly FormLine[]) {
		this.#model = model;
		this.#query = query;
		this.#rows = rows;
		this.#columns = columns;
	}

	/** Calls back with each cell of the form (row by row, a number) that shows a leaf cell or a total of it. */
	each(address: Int32Array, year: number, position: number, visit: (cell: number) => void): void {
		// Facts of a year or of all time stand at no period of their own.
		const leaf = this.#model.periods.at(year, position)?.index;
		const { slice, periodAxis } = this.#query;
		if (leaf === undefined || !this.#covers(slice, address) || (periodAxis === 'slice' && !this.#inPeriod(0, leaf))) return;
		const columnHits = this.#hitsOn('column', address, leaf);
		if (columnHits.length === 0) return;
		for (const row of this.#hitsOn('row', address, leaf)) for (const column of columnHits) visit(row * this.#columns.length + column);
	}

	/** How many cells the form has. */
	get size(): number {
		return this.#rows.length * this.#columns.length;
	}

	/** Whether a cell is on leaf lines of both axes. */
	isOnLeafLines(cell: number): boolean {
		return !this.#rows[Math.floor(cell / this.#columns.length)]!.parent && !this.#columns[cell % this.#columns.length]!.parent;
	}

	#hitsOn(axis: 'row' | 'column', address: Int32Array, leaf: number): number[] {
		const { slice, rows, columns, periodAxis } = this.#query;
		const [shown, lines] = axis === 'row' ? [this.#rows, rows] : [this.#columns, columns];
		const bound = lines[0] ?? slice;
		const key = `${axis} ${address.map((ordinal, dimension) => (bound[dimension]! < 0 ? -1 : ordinal)).join(' ')} ${periodAxis === axis ? leaf : ''}`;
		let found = this.#hits.get(key);
		if (!found) {
			found = shown.flatMap(({ place }, line) =>
				place >= 0 && this.#covers(lines[place]!, address) && (periodAxis !== axis || this.#inPeriod(place, leaf)) ? [line] : []
			);
			this.#hits.set(key, found);
		}
		return found;
	}

	#covers(line: Int32Array, address: Int32Array): boolean {
		return line.every((ordinal, axis) => ordinal < 0 || this.#model.dimensions[axis]!.tree.isUnder(address[axis]!, ordinal));
	}

	#inPeriod(line: number, leaf: number): boolean {
		const range = this.#model.periods.range(this.#query.periods[line]!);
		return leaf >= range.from && leaf <= range.to;
	}
}

/** How many changed cells are at or beneath each cell of a form. */
export class ChangedCount {
	readonly #places: ChangedPlaces;
	readonly #counts: Uint32Array;

	/** O(cells of the overlay); `count` keeps it from then on. */
	constructor(places: ChangedPlaces, overlay: Overlay) {
		this.#places = places;
		this.#counts = new Uint32Array(places.size);
		overlay.each((address, year, position) => this.count(address, year, position, 1));
	}

	/** One more changed cell, or one fewer. */
	count(address: Int32Array, year: number, position: number, by: 1 | -1): void {
		this.#places.each(address, year, position, (cell) => (this.#counts[cell]! += by));
	}

	/** The cells of the form with changed cells at or beneath them: those on leaf lines of both axes, and the totals above them. */
	cells(): { drafted: number[]; draftedBeneath: number[] } {
		const [drafted, draftedBeneath]: [number[], number[]] = [[], []];
		for (let cell = 0; cell < this.#counts.length; cell++)
			if (this.#counts[cell]! > 0) (this.#places.isOnLeafLines(cell) ? drafted : draftedBeneath).push(cell);
		return { drafted, draftedBeneath };
	}
}
