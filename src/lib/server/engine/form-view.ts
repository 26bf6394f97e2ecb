import {
	compileQuery,
	deriveFigure,
	expandForm,
	favourableSignOf,
	isEmpty,
	operandsOf,
	print,
	View,
	type CompiledQuery,
	type Cube,
	type DerivedLine,
	type ExpandedForm,
	type FormLayout,
	type FormLine,
	type Model,
	type Overlay,
	type PeriodRange,
	type ViewResult,
	type WriteGuard
} from '../../core';
import { MARKS, type ColumnLine, type FormAnswer, type RowLine } from './messages';

/** One person's open form: its lines, the view that keeps its figures right, and what each cell is to them. */
export class FormView {
	readonly expanded: ExpandedForm;
	readonly query: CompiledQuery;
	readonly view: View;
	readonly #model: Model;
	readonly #rows: RowLine[];
	readonly #columns: ColumnLine[];
	#marks: string | undefined;
	#guard: WriteGuard | undefined;
	#result: ViewResult | undefined;

	/** @throws QueryFault when the layout cannot be asked */
	constructor(model: Model, layout: FormLayout, choices: Readonly<Record<number, number>>, currency: string | undefined) {
		this.#model = model;
		this.expanded = expandForm(model, layout, choices, currency);
		if (this.expanded.faults.length > 0) throw new FormFault(this.expanded.faults);
		this.query = compileQuery(model, this.expanded.query);
		this.view = new View(this.query);
		this.#rows = this.expanded.rows.map((line) => rowLine(model, line));
		const { slice, toDate } = this.expanded.query;
		const columns = this.expanded.columns.map((line, index) => ({
			...columnLine(model, line, slice),
			computed: this.query.periodAxis === 'column' && toDate?.[index] ? `Run up since the start of the ${toDate[index]}` : undefined
		}));
		this.#columns = [...columns, ...this.expanded.derived.map((line) => derivedLine(line, columns))];
	}

	fill(cube: Cube, overlay: Overlay): void {
		this.view.fill(cube, overlay);
		this.#result = undefined;
	}

	/** A leaf cell changed for this reader. */
	change(address: ArrayLike<number>, year: number, position: number, before: number, after: number): void {
		if (this.view.change(address, year, position, before, after)) this.#result = undefined;
	}

	get result(): ViewResult {
		return (this.#result ??= this.view.evaluate());
	}

	/** The members (one ordinal per dimension) and leaf periods of a grid cell. */
	cell(row: number, column: number): { members: Int32Array; range: PeriodRange } {
		const { slice, rows, columns, periodAxis, periods } = this.query;
		const members = slice.map((ordinal, axis) => Math.max(ordinal, rows[row]![axis]!, columns[column]![axis]!));
		return { members, range: this.#model.periods.range(periods[periodAxis === 'row' ? row : periodAxis === 'column' ? column : 0]!) };
	}

	/** Everything the page shows. */
	answer(revision: number, structure: number, guard: WriteGuard, overlay: Overlay): FormAnswer {
		if (guard !== this.#guard) {
			this.#guard = guard;
			this.#marks = undefined;
		}
		return {
			revision,
			structure,
			rows: this.#rows,
			columns: this.#columns,
			selectors: this.expanded.selectors,
			currencies: this.expanded.currencies,
			currency: this.expanded.query.currency,
			...this.#figures(),
			marks: (this.#marks ??= this.#markCells(guard)),
			...this.#draftedCells(overlay),
			draftSize: overlay.size
		};
	}

	/** Whether a grid cell is worked out by the form itself: a computed column, or a line that runs to date. */
	isComputed(row: number, column: number): boolean {
		const { toDate } = this.expanded.query;
		return column >= this.query.columns.length || toDate?.[this.query.periodAxis === 'row' ? row : column] !== undefined;
	}

	/** A computed cell: its figure, and the sign of what is good news in its row. */
	derivedFigure(row: number, column: number) {
		const line = this.expanded.derived[column - this.query.columns.length]!;
		const { values, flags } = this.result;
		const at = (place: number) => {
			const cell = row * this.query.columns.length + place;
			return { value: values[cell]!, flags: flags[cell]! };
		};
		const [one, other] = operandsOf(line);
		const account = Math.max(this.query.slice[this.#model.accountAxis]!, this.query.rows[row]![this.#model.accountAxis]!);
		return deriveFigure(line, at(one), at(other), account < 0 ? 0 : favourableSignOf(this.#model, account));
	}

	/** Every figure row by row, computed columns after the others. */
	#figures(): Pick<FormAnswer, 'values' | 'flags' | 'good' | 'bad'> {
		const { values, flags } = this.result;
		const [own, width] = [this.query.columns.length, this.#columns.length];
		const shown: Pick<FormAnswer, 'values' | 'flags' | 'good' | 'bad'> = { values: [], flags: [], good: [], bad: [] };
		for (let row = 0; row < this.query.rows.length; row++) {
			for (let column = 0; column < own; column++) {
				const value = values[row * own + column]!;
				shown.values.push(isEmpty(value) ? null : value);
				shown.flags.push(flags[row * own + column]!);
			}
			for (let column = own; column < width; column++) {
				const { value, flags: own, favourable } = this.derivedFigure(row, column);
				shown.values.push(isEmpty(value) ? null : value);
				shown.flags.push(own);
				if (favourable !== undefined) shown[favourable ? 'good' : 'bad'].push(row * width + column);
			}
		}
		return shown;
	}

	#markCells(guard: WriteGuard): string {
		const marks: string[] = [];
		for (let row = 0; row < this.query.rows.length; row++)
			for (let column = 0; column < this.#columns.length; column++) {
				if (this.isComputed(row, column)) {
					marks.push(MARKS.computed);
					continue;
				}
				const { members, range } = this.cell(row, column);
				marks.push(MARKS[guard.verdict(members, range).kind]);
			}
		return marks.join('');
	}

	/** Cells with an unsaved entry at or beneath them: those on leaf lines of both axes, and the totals above them. */
	#draftedCells(overlay: Overlay): { drafted: number[]; draftedBeneath: number[] } {
		const { rows, columns, slice, periods, periodAxis } = this.query;
		const model = this.#model;
		const width = this.#columns.length;
		const covers = (line: Int32Array, address: Int32Array) =>
			line.every((ordinal, axis) => ordinal < 0 || model.dimensions[axis]!.tree.isUnder(address[axis]!, ordinal));
		const inPeriod = (line: number, leaf: number) => {
			const range = model.periods.range(periods[line]!);
			return leaf >= range.from && leaf <= range.to;
		};
		const found = new Set<number>();
		overlay.each((address, year, position) => {
			const leaf = model.periods.at(year, position)!.index;
			if (!covers(slice, address) || (periodAxis === 'slice' && !inPeriod(0, leaf))) return;
			const hits = (lines: Int32Array[], axis: 'row' | 'column') =>
				lines.map((_, line) => line).filter((line) => covers(lines[line]!, address) && (periodAxis !== axis || inPeriod(line, leaf)));
			const columnHits = hits(columns, 'column');
			for (const row of hits(rows, 'row')) for (const column of columnHits) found.add(row * width + column);
		});
		const onLeafLines = (cell: number) => !this.#rows[Math.floor(cell / width)]!.parent && !this.#columns[cell % width]!.parent;
		return { drafted: [...found].filter(onLeafLines), draftedBeneath: [...found].filter((cell) => !onLeafLines(cell)) };
	}
}

/** A form that cannot be shown, with the reasons for its maker. */
export class FormFault extends Error {
	constructor(readonly reasons: string[]) {
		super(reasons.join(' '));
		this.name = 'FormFault';
	}
}

function rowLine(model: Model, line: FormLine): RowLine {
	const member = line.members[model.accounts.id];
	const ordinal = member === undefined ? undefined : model.accounts.ordinal(member);
	// A group of accounts is shown like what it groups.
	const leaf = ordinal === undefined ? undefined : model.accounts.tree.leaves(ordinal).find((each) => model.account(each));
	const facts = leaf === undefined ? undefined : model.account(leaf);
	const formula = ordinal === undefined ? undefined : model.formula(ordinal);
	return {
		...line,
		valueType: facts?.valueType ?? 'money',
		decimals: facts?.decimals ?? 0,
		unit: facts?.unit ?? null,
		formula: formula ? print(formula.expression, (account) => model.accounts.member(model.accounts.ordinal(account)!).name) : null
	};
}

function columnLine(model: Model, line: FormLine, slice: Readonly<Record<number, number>>): ColumnLine {
	const period = model.periods.dimension;
	const ordinal = line.members[period.id] === undefined ? undefined : period.ordinal(line.members[period.id]!);
	const plain = { computed: undefined, percent: false };
	if (ordinal === undefined) return { ...line, ...plain, group: line.above.join(' · '), level: '', cut: undefined };
	const above = period.tree.parent[ordinal]!;
	const facts = model.periods.facts(ordinal);
	return {
		...line,
		...plain,
		group: facts?.level === 'month' && above >= 0 ? period.member(above).name : '',
		level: facts?.level ?? '',
		cut: cutOf(model, line, slice, ordinal)
	};
}

/** A column the form computes; shown as a total is, since nobody types there. */
function derivedLine(line: DerivedLine, columns: readonly ColumnLine[]): ColumnLine {
	const [one, other] = operandsOf(line).map((place) => columns[place]!.label);
	const words = {
		difference: `${one} less ${other}`,
		'% difference': `${one} less ${other}, in % of ${other}`,
		share: `${one} as a share of ${other}`
	};
	return {
		members: {},
		label: line.label,
		code: '',
		above: [],
		depth: 0,
		parent: true,
		group: '',
		level: '',
		cut: undefined,
		computed: words[line.kind],
		percent: line.kind !== 'difference'
	};
}

/** Where the scenario's span ends or begins inside a period, in words. */
function cutOf(model: Model, line: FormLine, slice: Readonly<Record<number, number>>, period: number): string | undefined {
	const member = line.members[model.scenarios.id] ?? slice[model.scenarios.id];
	const ordinal = member === undefined ? undefined : model.scenarios.ordinal(member);
	const span = ordinal === undefined ? undefined : model.scenario(ordinal)?.span;
	const range = model.periods.range(period);
	if (!span || span.to < range.from || span.from > range.to) return undefined;
	const name = (index: number) => model.periods.dimension.member(model.periods.leaf(index).ordinal).name;
	if (span.to < range.to) return `to ${name(span.to)}`;
	return span.from > range.from ? `from ${name(span.from)}` : undefined;
}
