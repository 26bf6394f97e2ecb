import type { CheckLine, ColumnLine, FormAnswer, FormFrame, LineFacts, RowLine } from '$lib/server/engine';

/** What a row of the grid shows, column by column. */
interface RowCells {
	values: (number | null)[];
	flags: number[];
	marks: string;
}

/**
 * A form as the page knows it: its lines, and the figures of the rows it has. Immutable; an answer of the server makes the
 * next one. Small forms have all rows, large ones those that were asked for.
 */
export class ShownForm {
	readonly frame: string;
	readonly rows: readonly RowLine[];
	readonly columns: readonly ColumnLine[];
	readonly selectors: FormFrame['selectors'];
	readonly currencies: readonly string[];
	readonly currency: string;
	readonly defaults: FormFrame['defaults'];
	readonly choices: FormFrame['choices'];
	readonly axes: FormFrame['axes'];
	readonly revision: number;
	readonly structure: number;
	/** Names what is shown, so that an answer may leave out what is the same. */
	readonly moment: string;
	readonly drafted: ReadonlySet<number>;
	readonly draftedBeneath: ReadonlySet<number>;
	readonly good: ReadonlySet<number>;
	readonly bad: ReadonlySet<number>;
	readonly draftSize: number;
	readonly restricted: boolean;
	readonly outside: string | null;
	readonly draftHere: number;
	/** The runbook whose results are shown before it has run, and where they differ. */
	readonly trial: FormAnswer['trial'];
	readonly tried: ReadonlySet<number>;
	/** Cells that the branch changes, totals above them included. */
	readonly branched: ReadonlySet<number>;
	readonly checks: readonly CheckLine[];
	/** Lines without a figure when the form was opened: they do not jump away while one types. */
	readonly empty: { rows: ReadonlySet<number>; columns: ReadonlySet<number> };
	/** Whether only some rows have their figures here. */
	readonly isPartial: boolean;
	readonly #cells: ReadonlyMap<number, RowCells>;
	readonly #words: ReadonlyMap<number, string>;

	/** @param before what the page showed: its lines serve again when the answer leaves them out, and its rows if `keepRows` */
	constructor(answer: FormAnswer, before?: ShownForm, keepRows = false) {
		const isSame = before !== undefined && before.frame === answer.frame;
		const known = isSame && answer.rows.length === 0 ? before : undefined;
		this.frame = answer.frame;
		this.rows = known?.rows ?? answer.rows;
		this.columns = known?.columns ?? answer.columns;
		this.selectors = known?.selectors ?? answer.selectors;
		this.currencies = answer.currencies;
		this.currency = answer.currency;
		this.defaults = answer.defaults;
		this.axes = answer.axes;
		this.choices = known?.choices ?? answer.choices;
		this.revision = answer.revision;
		this.structure = answer.structure;
		this.moment = answer.moment;
		this.drafted = new Set(answer.drafted);
		this.draftedBeneath = new Set(answer.draftedBeneath);
		this.draftSize = answer.draftSize;
		this.draftHere = answer.draftHere;
		this.restricted = answer.restricted;
		this.outside = answer.outside;
		this.trial = answer.trial;
		this.tried = new Set(answer.tried);
		this.branched = new Set(answer.branched);
		this.checks = answer.checks;
		this.isPartial = answer.part !== undefined && answer.others === undefined;
		this.empty = answer.empty
			? { rows: new Set(answer.empty.rows), columns: new Set(answer.empty.columns) }
			: isSame
				? before.empty
				: { rows: new Set(), columns: new Set() };
		const kept = (keepRows || answer.others === 'same') && isSame ? before : undefined;
		const width = this.columns.length;
		const told = new Set(kept ? answer.part : []);
		const isKept = (cell: number) => !told.has(Math.floor(cell / width));
		this.good = new Set([...(kept ? [...kept.good].filter(isKept) : []), ...answer.good]);
		this.bad = new Set([...(kept ? [...kept.bad].filter(isKept) : []), ...answer.bad]);
		this.#words = new Map([...(kept ? [...kept.#words].filter(([cell]) => isKept(cell)) : []), ...answer.words]);
		const cells = new Map<number, RowCells>(kept ? kept.#cells : []);
		(answer.part ?? this.rows.map((_, row) => row)).forEach((row, index) =>
			cells.set(row, {
				values: answer.values.slice(index * width, (index + 1) * width),
				flags: answer.flags.slice(index * width, (index + 1) * width),
				marks: answer.marks.slice(index * width, (index + 1) * width)
			})
		);
		this.#cells = cells;
	}

	/** Whether all rows are here and none has a figure. */
	get isBlank(): boolean {
		return !this.isPartial && [...this.#cells.values()].every(({ values }) => values.every((value) => value === null));
	}

	/** The cell's number: what the server calls it by. */
	cell = (row: number, column: number): number => row * this.columns.length + column;

	/** How a cell's figure is written: by the account of its column, else of its row. */
	facts = (row: number, column: number): LineFacts => this.columns[column]?.facts ?? this.rows[row]!;

	/** Whether the figures of a row are here. */
	has = (row: number): boolean => this.#cells.has(row);

	value = (row: number, column: number): number | null => this.#cells.get(row)?.values[column] ?? null;

	flag = (row: number, column: number): number => this.#cells.get(row)?.flags[column] ?? 0;

	/** One letter: what the cell is to the reader (see MARKS). */
	mark = (row: number, column: number): string => this.#cells.get(row)?.marks[column] ?? 'c';

	/** What a coded figure stands for; undefined for plain figures. */
	word = (row: number, column: number): string | undefined => this.#words.get(this.cell(row, column));

	takesEntry = (row: number, column: number): boolean => {
		const mark = this.mark(row, column);
		return mark === 'e' || mark === 's';
	};

	/** Cells whose figure differs from another moment's, unsaved ones apart. */
	changedSince(before: ShownForm): Set<number> {
		const changed = new Set<number>();
		if (before.frame !== this.frame) return changed;
		for (const [row, { values }] of this.#cells)
			if (before.has(row))
				values.forEach((value, column) => {
					const cell = this.cell(row, column);
					if (value !== before.value(row, column) && !this.drafted.has(cell)) changed.add(cell);
				});
		return changed;
	}
}
