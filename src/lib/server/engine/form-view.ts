import {
	BranchLayer,
	compileQuery,
	deriveFigure,
	expandForm,
	favourableSignOf,
	isEmpty,
	isPercent,
	operandsOf,
	View,
	type CellChange,
	type CompiledQuery,
	type DerivedFigure,
	type ExpandedForm,
	type FormLayout,
	type FormLine,
	type Model,
	type Overlay,
	type PeriodRange,
	type ReadGuard,
	type Reader,
	type Reading,
	type Verdict,
	type ViewResult,
	type WriteGuard
} from '../../core';
import { ChangedCount, ChangedPlaces } from './changed-places';
import type { CodedWords } from './coded-words';
import { FormCheckView } from './form-check-view';
import { FormFault } from './form-fault';
import { columnLine, likeOperand, rateSetName, rowLine, wordsOf } from './form-lines';
import { inOrderOffered } from './month-choices';
import { outsideSpan } from './outside-span';
import type { PersonDraft } from './person-draft';
import { MARKS } from './marks';
import type { ColumnLine, FormAnswer, FormAsk, FormFrame, FormWindow, LineFacts, RowLine } from './requests/form';

/** One person's open form: its lines, the view that keeps its figures right, and what each cell is to them. */
export class FormView {
	readonly expanded: ExpandedForm;
	readonly query: CompiledQuery;
	/** Names the lines: those of two answers with the same one are the same. */
	readonly frame: string;
	readonly view: View;
	/** Views in the currencies and at the rates that blocks have of their own, by reading. */
	readonly #readings = new Map<string, { view: View; result: ViewResult | undefined }>();
	readonly model: Model;
	readonly #layout: FormLayout;
	/** Whether there is more in the model than the reader may see: totals are of what they see. */
	readonly #isRestricted: boolean;
	readonly #rows: RowLine[];
	readonly #columns: ColumnLine[];
	readonly #checks: FormCheckView[];
	readonly #signs = new Map<number, number>();
	/** Where changed cells show. */
	readonly #places: ChangedPlaces;
	/** How many cells of the reader's draft are at or beneath each cell; counted when first asked for, and kept from then on. */
	#drafted: ChangedCount | undefined;
	/** One letter a cell, worked out row by row when asked. */
	#marks = new Map<number, string>();
	#guard: WriteGuard | undefined;
	/** What a page was told last, under a name no other view gives. */
	#told: { moment: string; guard: WriteGuard | undefined; figures: ShownFigures } | undefined;
	#moments = 0;
	readonly #name = crypto.randomUUID();
	#result: ViewResult | undefined;
	#branched: { layer: BranchLayer; changes: number; at: number[] } | undefined;
	#tried: { cells: Overlay; size: number; at: number[] } | undefined;

	/** @throws FormFault when the layout does not hold together, QueryFault when it cannot be asked */
	constructor(
		model: Model,
		{ layout, choices, currency }: Pick<FormAsk, 'layout' | 'choices' | 'currency'>,
		visible: ReadGuard | undefined
	) {
		this.model = model;
		this.#layout = layout;
		this.#isRestricted = visible !== undefined;
		this.expanded = expandForm(model, layout, choices, currency, visible);
		if (this.expanded.faults.length > 0) throw new FormFault(this.expanded.faults);
		this.query = compileQuery(model, this.expanded.query);
		this.view = new View(this.query);
		for (const reading of [...this.expanded.rows, ...this.expanded.columns].flatMap((line) => line.reading ?? [])) {
			const key = JSON.stringify(reading);
			if (!this.#readings.has(key))
				this.#readings.set(key, { view: new View(compileQuery(model, { ...this.expanded.query, ...reading })), result: undefined });
		}
		const { slice, toDate } = this.expanded.query;
		const plain = this.expanded.rows.map((line) => rowLine(model, line, slice));
		this.#rows = plain.map((line) => (line.derive ? { ...line, ...likeOperand(line, plain) } : line));
		const columns = this.expanded.columns.map((line) => columnLine(model, line, slice));
		this.#columns = columns.map((line) => ({
			...line,
			computed: line.derive
				? wordsOf(line, columns)
				: line.place >= 0 && this.query.periodAxis === 'column' && toDate?.[line.place]
					? `Run up since the start of the ${toDate[line.place]}`
					: undefined,
			percent: line.derive ? isPercent(line.derive) : false
		}));
		// What the lines are, whatever else about the model has changed: rates, other dimensions, other forms.
		this.frame = hashed(
			JSON.stringify([this.#rows, this.#columns, this.expanded.selectors, this.expanded.query.slice, this.expanded.query.currency])
		);
		this.#places = new ChangedPlaces(model, this.query, this.#rows, this.#columns);
		this.#checks = (layout.checks ?? []).map((check) => new FormCheckView(model, check, this.expanded));
	}

	fill(reader: Reader): void {
		for (const view of this.#shownViews()) view.fill(reader);
		// Whether something holds is told of all figures; of which amounts it is, only who may read them all.
		for (const { view } of this.#checks) view.fill(reader.whole);
		this.#drafted = undefined;
		this.#result = undefined;
		for (const reading of this.#readings.values()) reading.result = undefined;
	}

	/** A leaf cell changed for this reader. */
	change(change: CellChange): void {
		for (const view of [...this.#shownViews(), ...this.#checks.map((check) => check.view)])
			if (view.change(change)) {
				if (view === this.view) this.#result = undefined;
				for (const reading of this.#readings.values()) if (reading.view === view) reading.result = undefined;
			}
	}

	/** A leaf cell came into this reader's draft (1) or left it (−1). */
	countDrafted(address: Int32Array, year: number, position: number, by: 1 | -1): void {
		this.#drafted?.count(address, year, position, by);
	}

	#shownViews(): View[] {
		return [this.view, ...[...this.#readings.values()].map(({ view }) => view)];
	}

	get result(): ViewResult {
		return (this.#result ??= this.view.evaluate());
	}

	/** The reading of its own that a cell has by its column, else its row. */
	#readingOf(row: number, column: number): Reading | undefined {
		return this.#columns[column]!.reading ?? this.#rows[row]!.reading;
	}

	/** The figures a cell is among. */
	#resultFor(row: number, column: number): ViewResult {
		const reading = this.#readings.size > 0 ? this.#readingOf(row, column) : undefined;
		if (!reading) return this.result;
		const own = this.#readings.get(JSON.stringify(reading))!;
		return (own.result ??= own.view.evaluate());
	}

	/** The view a cell's figure stands in. */
	viewOf(row: number, column: number): View {
		const reading = this.#readingOf(row, column);
		return reading ? this.#readings.get(JSON.stringify(reading))!.view : this.view;
	}

	/** The currency a cell is read in: an ISO code, or `local`. */
	currencyOf(row: number, column: number): string {
		return this.#readingOf(row, column)?.currency ?? this.expanded.query.currency;
	}

	get rows(): number {
		return this.#rows.length;
	}

	get columns(): number {
		return this.#columns.length;
	}

	/** Whether nobody types here: a computed line, a heading, a line that runs to date or is shown only. */
	isComputed(row: number, column: number): boolean {
		const { toDate } = this.expanded.query;
		const [line, across] = [this.#rows[row]!, this.#columns[column]!];
		if (line.kind !== 'cells' || across.kind !== 'cells' || line.readOnly || across.readOnly) return true;
		if (this.#readingOf(row, column)?.rateSet !== undefined) return true;
		return this.query.periodAxis !== 'slice' && toDate?.[(this.query.periodAxis === 'row' ? line : across).place] !== undefined;
	}

	/** Whether a cell is read from the model, so that it has an address. */
	isRead(row: number, column: number): boolean {
		return this.#rows[row]!.kind === 'cells' && this.#columns[column]!.kind === 'cells';
	}

	/** Whether a row lies beneath another one: each of its members under the other's. */
	isRowUnder(row: number, above: number): boolean {
		return this.#isUnder(this.#rows[row], this.#rows[above], this.query.rows, 'row');
	}

	isColumnUnder(column: number, above: number): boolean {
		return this.#isUnder(this.#columns[column], this.#columns[above], this.query.columns, 'column');
	}

	#isUnder(line: FormLine | undefined, above: FormLine | undefined, lines: readonly Int32Array[], axis: 'row' | 'column'): boolean {
		if (!line || !above || line.place < 0 || above.place < 0) return false;
		const [own, other] = [lines[line.place]!, lines[above.place]!];
		if (!own.every((ordinal, dimension) => ordinal < 0 || this.model.dimensions[dimension]!.tree.isUnder(ordinal, other[dimension]!)))
			return false;
		if (this.query.periodAxis !== axis) return true;
		const { tree } = this.model.periods.dimension;
		return tree.isUnder(this.query.periods[line.place]!, this.query.periods[above.place]!);
	}

	/** Why nobody types into a cell of the form's own. */
	reasonComputed(row: number, column: number): string {
		const line = [this.#rows[row]!, this.#columns[column]!].find(({ kind, readOnly }) => kind !== 'cells' || readOnly);
		if (line?.kind === 'derived') return `${line.label} is computed by the form: nobody types here.`;
		if (line?.kind === 'text') return 'This is a heading.';
		const rates = line ? undefined : this.#readingOf(row, column)?.rateSet;
		if (rates !== undefined) return `Shown at the rates of ${rateSetName(this.model, rates)}: type where the scenario’s own rates stand.`;
		return line?.readOnly
			? `The form only shows ${line.heading || line.label}; nobody types here.`
			: 'This line runs up since the start of the year: type into its periods.';
	}

	/** The members (one ordinal per dimension) and leaf periods of a cell that is read from the model. */
	cell(row: number, column: number): { members: Int32Array; range: PeriodRange; period: number } {
		const { slice, rows, columns, periodAxis, periods } = this.query;
		const [down, across] = [this.#rows[row]!.place, this.#columns[column]!.place];
		const members = slice.map((ordinal, axis) => Math.max(ordinal, rows[down]![axis]!, columns[across]![axis]!));
		const period = periods[periodAxis === 'row' ? down : periodAxis === 'column' ? across : 0]!;
		return { members, range: this.model.periods.range(period), period };
	}

	/** The verdict on a cell for the person who looks. */
	verdict(guard: WriteGuard, row: number, column: number): Verdict | { kind: 'computed'; reason: string } {
		if (this.isComputed(row, column)) return { kind: 'computed', reason: this.reasonComputed(row, column) };
		const { members, range } = this.cell(row, column);
		return guard.verdict(members, range);
	}

	/** A cell's figure, computed lines included. Columns are computed from the cells of their row. */
	figure(row: number, column: number): DerivedFigure {
		const [down, across] = [this.#rows[row]!, this.#columns[column]!];
		if (down.kind === 'text' || across.kind === 'text') return BLANK;
		if (across.derive) return deriveFigure(across.derive, (place) => this.figure(row, place), this.#sign(row, column));
		if (down.derive)
			return deriveFigure(down.derive, (place) => this.figure(place, column), this.#sign(operandsOf(down.derive)[0]!, column));
		const { values, flags } = this.#resultFor(row, column);
		const place = down.place * this.query.columns.length + across.place;
		return { value: values[place]!, flags: flags[place]!, favourable: undefined };
	}

	/** The sign of what is good news in a row. */
	#sign(row: number, column: number): number {
		const place = this.#rows[row]?.place ?? -1;
		const onColumn = this.#columns[column]!.place;
		const axis = this.model.accountAxis;
		const account = Math.max(
			this.query.slice[axis]!,
			place >= 0 ? this.query.rows[place]![axis]! : -1,
			onColumn >= 0 ? this.query.columns[onColumn]![axis]! : -1
		);
		if (account < 0) return 0;
		let sign = this.#signs.get(account);
		if (sign === undefined) this.#signs.set(account, (sign = favourableSignOf(this.model, account)));
		return sign;
	}

	/** What the page shows: the lines unless it knows them, and the figures of the rows it asks for. */
	answer(
		revision: number,
		structure: number,
		guard: WriteGuard,
		draft: PersonDraft,
		words: CodedWords,
		window: FormWindow = {},
		form = 0
	): FormAnswer {
		if (guard !== this.#guard) {
			this.#guard = guard;
			this.#marks = new Map();
		}
		const wanted = this.#wanted(window);
		const isWhole = wanted === undefined;
		const figures = this.#figures(wanted, words);
		const { rows, others } = isWhole ? this.#sinceTold(window, figures) : { rows: wanted, others: undefined };
		const shown = rows === wanted ? figures : this.#figures(rows, words);
		return {
			revision,
			structure,
			...this.#frameAnswer(window.frame === this.frame, words),
			...shown,
			moment: isWhole ? this.#told!.moment : '',
			...(rows && { part: rows }),
			...(others && { others }),
			marks: (rows ?? this.#rows.map((_, row) => row)).map((row) => this.#marksOf(row, guard)).join(''),
			...(this.#drafted ??= new ChangedCount(this.#places, draft.overlay)).cells(),
			draftSize: draft.overlay.size,
			draftHere: draft.sizeIn(form),
			trial: draft.trial
				? { name: draft.trial.name, isBehind: draft.version !== draft.trial.version || revision !== draft.trial.revision }
				: null,
			tried: this.#triedCells(draft.trial?.cells),
			branched: this.#branchedCells(draft.base.layers[0]),
			checks: this.#checks.flatMap((check) => check.states(this.#isRestricted)),
			...(window.empty && { empty: this.#emptyLines() })
		};
	}

	/** Remembers what is told now, and finds the rows that differ from what the page shows, if that is the last thing told. */
	#sinceTold({ frame, moment }: FormWindow, figures: ShownFigures): { rows: number[] | undefined; others: 'same' | undefined } {
		const before = this.#told;
		this.#told = { moment: `${this.#name} ${++this.#moments}`, guard: this.#guard, figures };
		if (!before || moment !== before.moment || frame !== this.frame || before.guard !== this.#guard)
			return { rows: undefined, others: undefined };
		const width = this.#columns.length;
		const rows: number[] = [];
		for (let row = 0; row < this.#rows.length; row++)
			for (let cell = row * width; cell < (row + 1) * width; cell++)
				if (figures.values[cell] !== before.figures.values[cell] || figures.flags[cell] !== before.figures.flags[cell]) {
					rows.push(row);
					break;
				}
		// News good or bad, and words, follow the figures of their row.
		return { rows, others: 'same' };
	}

	#frameAnswer(known: boolean, words: CodedWords): FormFrame {
		const { scale = 1, hideEmptyRows = false, hideEmptyColumns = false, spread = 'in proportion', methods = false } = this.#layout;
		const methodsLive = methods && this.#layout.methodsLive === true;
		return {
			frame: this.frame,
			rows: known ? [] : this.#rows,
			columns: known ? [] : this.#columns,
			restricted: this.#isRestricted,
			outside: outsideSpan(this.model, this.expanded.query),
			selectors: known ? [] : this.expanded.selectors,
			currencies: this.expanded.currencies,
			currency: this.expanded.query.currency,
			axes: { accounts: this.model.accounts.id, periods: this.model.periods.dimension.id, scenarios: this.model.scenarios.id },
			choices: known ? {} : this.#choices(words),
			defaults: { scale, hideEmptyRows, hideEmptyColumns, spread, methods, methodsLive, ownLines: this.#layout.ownLines !== undefined }
		};
	}

	/** How a cell's figure is written: by the account of its column, else of its row. */
	#factsAt(row: number, column: number): LineFacts {
		return this.#columns[column]!.facts ?? this.#rows[row]!;
	}

	#choices(words: CodedWords): FormFrame['choices'] {
		const accounts = new Set(
			[...this.#rows, ...this.#columns.flatMap(({ facts }) => facts ?? [])].flatMap(({ account, valueType }) =>
				account !== null && valueType === 'choice' ? [account] : []
			)
		);
		return Object.fromEntries(
			[...accounts].map((account) => [
				account,
				inOrderOffered(this.model, this.expanded.query, words.choicesOf(account)).slice(0, MOST_CHOICES)
			])
		);
	}

	/** Figures row by row. */
	#figures(rows: readonly number[] | undefined, words: CodedWords): ShownFigures {
		const width = this.#columns.length;
		const shown: ShownFigures = { values: [], flags: [], good: [], bad: [], words: [] };
		const count = rows?.length ?? this.#rows.length;
		for (let index = 0; index < count; index++) {
			const row = rows ? rows[index]! : index;
			for (let column = 0; column < width; column++) {
				const { value, flags, favourable } = this.figure(row, column);
				shown.values.push(isEmpty(value) ? null : value);
				shown.flags.push(flags);
				if (favourable !== undefined) shown[favourable ? 'good' : 'bad'].push(row * width + column);
				if (this.#factsAt(row, column).coded && !isEmpty(value) && this.isRead(row, column))
					shown.words.push([row * width + column, words.wordOf(this.#accountAt(row, column), value)]);
			}
		}
		return shown;
	}

	/** The account (member id) a cell reads. */
	#accountAt(row: number, column: number): number {
		return this.model.accounts.member(this.cell(row, column).members[this.model.accountAxis]!).id;
	}

	/** The rows a page wants figures of; undefined for all. */
	#wanted({ rows, most }: FormWindow): number[] | undefined {
		if (rows) return rows.filter((row) => row < this.#rows.length);
		if (most === undefined || this.#rows.length * this.#columns.length <= most) return undefined;
		return Array.from({ length: Math.min(this.#rows.length, FIRST_ROWS) }, (_, row) => row);
	}

	/** The values of text accounts that are shown: they are looked up before an answer. */
	textPlaces(window: FormWindow = {}): number[] {
		const places: number[] = [];
		for (const row of this.#wanted(window) ?? this.#rows.keys()) {
			for (let column = 0; column < this.#columns.length; column++) {
				if (this.#factsAt(row, column).valueType !== 'text') continue;
				const { value } = this.figure(row, column);
				if (!isEmpty(value)) places.push(value);
			}
		}
		return places;
	}

	/** Lines without a figure, headings apart. */
	#emptyLines(): { rows: number[]; columns: number[] } {
		const [rows, columns] = [new Set(this.#rows.keys()), new Set(this.#columns.keys())];
		for (const [row, line] of this.#rows.entries())
			for (const [column, across] of this.#columns.entries())
				if (line.kind === 'text') rows.delete(row);
				else if (across.kind === 'text') columns.delete(column);
				else if ((rows.has(row) || columns.has(column)) && !isEmpty(this.figure(row, column).value)) {
					rows.delete(row);
					columns.delete(column);
				}
		return { rows: [...rows], columns: [...columns] };
	}

	/** The cells that show some figures, given by their members (ids), the period last. O(lines + places). */
	cellsAt(places: readonly (readonly number[])[]): number[][] {
		const model = this.model;
		const ids = [...model.dimensions.map(({ id }) => id), model.periods.dimension.id];
		const { slice } = this.expanded.query;
		const onRows = ids.map((id) => this.expanded.query.rows[0]?.[id] !== undefined);
		const onColumns = ids.map((id) => this.expanded.query.columns[0]?.[id] !== undefined);
		const keyOf = (member: (axis: number) => number | undefined, on: readonly boolean[]) =>
			ids.map((_, axis) => (on[axis] ? member(axis) : '')).join(' ');
		const index = (lines: readonly FormLine[], on: readonly boolean[]) => {
			const found = new Map<string, number[]>();
			lines.forEach((line, place) => {
				if (line.kind !== 'cells') return;
				const key = keyOf((axis) => line.members[ids[axis]!], on);
				found.set(key, [...(found.get(key) ?? []), place]);
			});
			return found;
		};
		const [rows, columns] = [index(this.#rows, onRows), index(this.#columns, onColumns)];
		return places.map((place) => {
			const fits = ids.every((id, axis) => onRows[axis] || onColumns[axis] || slice[id] === place[axis]);
			if (!fits) return [];
			const across = columns.get(keyOf((axis) => place[axis], onColumns)) ?? [];
			return (rows.get(keyOf((axis) => place[axis], onRows)) ?? []).flatMap((row) =>
				across.map((column) => row * this.#columns.length + column)
			);
		});
	}

	#marksOf(row: number, guard: WriteGuard): string {
		let marks = this.#marks.get(row);
		if (marks === undefined) {
			marks = this.#columns.map((_, column) => MARKS[this.verdict(guard, row, column).kind]).join('');
			this.#marks.set(row, marks);
		}
		return marks;
	}

	/** Cells that were changed in the branch the form is shown in, totals included. */
	#branchedCells(layer: Overlay | undefined): number[] {
		if (!(layer instanceof BranchLayer)) return [];
		if (this.#branched?.layer !== layer || this.#branched.changes !== layer.changes) {
			const { drafted, draftedBeneath } = new ChangedCount(this.#places, layer).cells();
			this.#branched = { layer, changes: layer.changes, at: [...drafted, ...draftedBeneath] };
		}
		return this.#branched.at;
	}

	/** Cells that differ by what is tried, totals included; found once, as there are many and they only become fewer. */
	#triedCells(cells: Overlay | undefined): number[] {
		if (!cells) return [];
		if (this.#tried?.cells !== cells || this.#tried.size !== cells.size) {
			const { drafted, draftedBeneath } = new ChangedCount(this.#places, cells).cells();
			this.#tried = { cells, size: cells.size, at: [...drafted, ...draftedBeneath] };
		}
		return this.#tried.at;
	}
}

/** The figures of some rows, side by side. */
type ShownFigures = Pick<FormAnswer, 'values' | 'flags' | 'good' | 'bad' | 'words'>;

/** Choices offered while one types; others are still understood. */
const MOST_CHOICES = 500;

/** Rows of a large form that come with its lines. */
const FIRST_ROWS = 80;

const BLANK: DerivedFigure = { value: Number.NaN, flags: 0, favourable: undefined };

/** A short name for a text: its length and FNV-1a. */
function hashed(text: string): string {
	let hash = 2_166_136_261;
	for (let index = 0; index < text.length; index++) hash = Math.imul(hash ^ text.charCodeAt(index), 16_777_619);
	return `${text.length}-${(hash >>> 0).toString(36)}`;
}
