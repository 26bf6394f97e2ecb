import {
	compileQuery,
	continuationOf,
	EMPTY,
	isEmpty,
	methodValues,
	View,
	type Cube,
	type Line,
	type Method,
	type Model,
	type Overlay,
	type WriteGuard
} from '../../core';
import type { FormView } from './form-view';
import type { MethodAnswer } from './messages';

/** Longest run of periods before the first one that a trend looks at. */
const MOST_BEFORE = 60;

/**
 * What a method gives for a row of a form: a value for each of its leaf periods that the person may fill, beside what
 * stands there. Years before the scenario's span are read in what it continues from.
 */
export function workOutRow(
	model: Model,
	cube: Cube,
	overlay: Overlay,
	guard: WriteGuard,
	form: FormView,
	row: number,
	method: Method
): MethodAnswer {
	const columns = fillableColumns(form, guard, row);
	if (columns.length === 0) return { columns: [], quarters: [], reason: 'There is no period in this row that you may fill.' };
	if (form.query.periodAxis !== 'column')
		return { columns: [], quarters: [], reason: 'Methods fill rows whose periods stand side by side.' };
	const first = columns[0]!.period;
	const driver = 'driver' in method ? model.accounts.ordinal(method.driver) : undefined;
	if ('driver' in method && driver === undefined) return { columns: [], quarters: [], reason: 'Choose the account that drives this row.' };
	const before = method.kind === 'trend' ? Math.min(method.periods, MOST_BEFORE, first) : 0;
	const yearsBefore = columns.map(({ period }) => yearBefore(model, period) ?? -1);
	const run = Array.from({ length: before }, (_, index) => first - before + index);
	const read = reader(model, cube, overlay, form, row, columns[0]!.column, {
		periods: [...columns.map(({ period }) => period), ...yearsBefore, ...run],
		driver
	});
	const quarterOf = columns.map(({ period }) => quarterName(model, period));
	const quarters = [...new Set(quarterOf)];
	const values = methodValues(method, {
		lastYear: yearsBefore.map((period) => read(period)),
		before: run.map((period) => read(period)),
		driver: driver === undefined ? [] : columns.map(({ period }) => read(period, true)),
		driverLastYear: driver === undefined ? [] : yearsBefore.map((period) => read(period, true)),
		quarters: quarterOf.map((name) => quarters.indexOf(name))
	});
	const found = columns.map(({ column, period }, index) => ({
		column,
		period: model.periods.dimension.member(model.periods.leaf(period).ordinal).id,
		label: form.expanded.columns[column]!.label,
		quarter: quarters.indexOf(quarterOf[index]!),
		now: orNull(form.figure(row, column).value),
		value: orNull(values[index]!)
	}));
	const reason = found.every(({ value }) => value === null)
		? 'There is nothing to work from: the figures this method reads are empty.'
		: '';
	return { columns: found, quarters, reason };
}

/** The columns of single leaf periods in which a row takes entries. */
function fillableColumns(form: FormView, guard: WriteGuard, row: number): { column: number; period: number }[] {
	const found: { column: number; period: number }[] = [];
	for (let column = 0; column < form.columns; column++) {
		if (!form.isRead(row, column)) continue;
		const { range } = form.cell(row, column);
		const { kind } = form.verdict(guard, row, column);
		if (range.from === range.to && (kind === 'enter' || kind === 'spread') && !found.some(({ period }) => period === range.from))
			found.push({ column, period: range.from });
	}
	return found;
}

/** The same place in the fiscal year before. */
function yearBefore(model: Model, period: number): number | undefined {
	const { fiscalYear, position } = model.periods.leaf(period);
	return model.periods.at(fiscalYear - 1, position)?.index;
}

/** The quarter a leaf period lies in; itself where the calendar has no quarters. */
function quarterName(model: Model, period: number): string {
	const { dimension } = model.periods;
	const { ordinal } = model.periods.leaf(period);
	const quarter = dimension.tree.ancestors(ordinal).find((above) => model.periods.facts(above)?.level === 'quarter');
	return dimension.member(quarter ?? ordinal).name;
}

/**
 * Reads the row, and its driver, at leaf periods; each in the scenario that speaks about the period. All of them are read
 * in one scan.
 */
function reader(
	model: Model,
	cube: Cube,
	overlay: Overlay,
	form: FormView,
	row: number,
	column: number,
	{ periods, driver }: { periods: readonly number[]; driver: number | undefined }
) {
	const { members } = form.cell(row, column);
	const slice: Record<number, number> = {};
	model.dimensions.forEach((dimension, axis) => {
		if (axis !== model.accountAxis && axis !== model.scenarioAxis) slice[dimension.id] = dimension.member(members[axis]!).id;
	});
	const places = new Map<number, number>();
	const columns: Line[] = [];
	for (const period of periods) {
		const found = period < 0 || places.has(period) ? undefined : continuationOf(model, members[model.scenarioAxis]!, period);
		if (!found) continue;
		places.set(period, columns.length);
		columns.push({
			[model.scenarios.id]: model.scenarios.member(found.scenario).id,
			[model.periods.dimension.id]: model.periods.dimension.member(model.periods.leaf(period).ordinal).id
		});
	}
	if (columns.length === 0) return () => EMPTY;
	const accounts = [members[model.accountAxis]!, ...(driver === undefined ? [] : [driver])];
	const rows = accounts.map((account): Line => ({ [model.accounts.id]: model.accounts.member(account).id }));
	const view = new View(compileQuery(model, { slice, rows, columns, currency: form.currencyOf(row, column) }));
	view.fill(cube, overlay);
	const { values } = view.evaluate();
	return (period: number, ofDriver = false): number => {
		const place = places.get(period);
		return place === undefined ? EMPTY : values[(ofDriver ? columns.length : 0) + place]!;
	};
}

/** Rows looked at for what has moved beneath their methods: each is a scan. */
const MOST_ROWS = 40;

/** Of rows that were filled by a method: those for which it gives something else now. */
export function movedMethods(
	model: Model,
	cube: Cube,
	overlay: Overlay,
	guard: WriteGuard,
	form: FormView,
	methods: readonly { place: readonly number[]; method: Method; filled: Readonly<Record<string, number>> }[]
): { index: number; row: number; label: string }[] {
	const found: { index: number; row: number; label: string }[] = [];
	let looked = 0;
	for (const [index, { place, method, filled }] of methods.entries()) {
		const period = Number(Object.keys(filled)[0]);
		const cell = form.cellsAt([[...place, period]])[0]?.[0];
		if (cell === undefined || ++looked > MOST_ROWS) continue;
		const row = Math.floor(cell / form.columns);
		const { columns } = workOutRow(model, cube, overlay, guard, form, row, method);
		const isOther = columns.some(({ period: at, value }) => {
			const was = filled[at];
			return was !== undefined && (value === null || Math.abs(value - was) > 1e-9 * Math.max(1, Math.abs(was)));
		});
		if (isOther) found.push({ index, row, label: form.expanded.rows[row]!.label });
	}
	return found;
}

const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
