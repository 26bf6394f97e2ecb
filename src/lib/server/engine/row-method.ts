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
	if (columns.length === 0) return { columns: [], reason: 'There is no period in this row that you may fill.' };
	if (form.query.periodAxis !== 'column') return { columns: [], reason: 'Methods fill rows whose periods stand side by side.' };
	const first = columns[0]!.period;
	const driver = method.kind === 'driver and rate' ? model.accounts.ordinal(method.driver) : undefined;
	if (method.kind === 'driver and rate' && driver === undefined) return { columns: [], reason: 'Choose the account that drives this row.' };
	const before = method.kind === 'trend' ? Math.min(method.periods, MOST_BEFORE, first) : 0;
	const read = reader(model, cube, overlay, form, row, columns[0]!.column);
	const values = methodValues(method, {
		lastYear: columns.map(({ period }) => {
			const year = yearBefore(model, period);
			return year === undefined ? EMPTY : read(year);
		}),
		before: Array.from({ length: before }, (_, index) => read(first - before + index)),
		driver: driver === undefined ? [] : columns.map(({ period }) => read(period, driver))
	});
	const found = columns.map(({ column }, index) => ({
		column,
		label: form.expanded.columns[column]!.label,
		now: orNull(form.figure(row, column).value),
		value: orNull(values[index]!)
	}));
	const reason = found.every(({ value }) => value === null)
		? 'There is nothing to work from: the figures this method reads are empty.'
		: '';
	return { columns: found, reason };
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

/** Reads the row at another leaf period, or another account of it; in the scenario that speaks about the period. */
function reader(model: Model, cube: Cube, overlay: Overlay, form: FormView, row: number, column: number) {
	const { members } = form.cell(row, column);
	const scenarioId = model.scenarios.id;
	return (period: number, account?: number): number => {
		const found = period < 0 ? undefined : continuationOf(model, members[model.scenarioAxis]!, period);
		if (!found) return EMPTY;
		const memberOf = (axis: number) => (axis === model.accountAxis && account !== undefined ? account : members[axis]!);
		const slice: Record<number, number> = {};
		model.dimensions.forEach((dimension, axis) => {
			if (axis !== model.accountAxis) slice[dimension.id] = dimension.member(members[axis]!).id;
		});
		slice[scenarioId] = model.scenarios.member(found.scenario).id;
		const line: Line = { [model.periods.dimension.id]: model.periods.dimension.member(model.periods.leaf(period).ordinal).id };
		const accountLine: Line = { [model.accounts.id]: model.accounts.member(memberOf(model.accountAxis)).id };
		const view = new View(compileQuery(model, { slice, rows: [accountLine], columns: [line], currency: form.currencyOf(row, column) }));
		view.fill(cube, overlay);
		return view.evaluate().values[0]!;
	};
}

const orNull = (value: number): number | null => (isEmpty(value) ? null : value);
