import {
	compileQuery,
	continuationOf,
	EMPTY,
	methodMoved,
	methodValues,
	View,
	orNull,
	type Line,
	type Method,
	type Model,
	type Reader,
	type WriteGuard
} from '../../../core';
import type { FormView } from '../form-view';
import type { FormAsk } from './form';
import type { ModelEngine, OpenForm } from '../model-engine';
import { requireCell, requireFrame } from '../fault';

/** What a method gives for a row: a value for each column it may fill. */
export interface MethodAnswer {
	/** `period` is the member's id; `quarter` a place among the quarters. */
	columns: { column: number; period: number; label: string; quarter: number; now: number | null; value: number | null }[];
	/** Names of the quarters the columns lie in. */
	quarters: string[];
	/** In which the row is read and its rates and amounts are taken; empty where nothing can be worked out. */
	currency: string;
	/** Why nothing can be worked out; empty when it can. */
	reason: string;
}

/** Rows that were filled by a method: by their place, with what it gave by period (id), in the currency in which it did. */
export interface MovedMethodsAsk extends FormAsk {
	methods: { place: number[]; method: Method; currency: string; values: Record<string, number> }[];
}

/** Those for which it gives something else now; `wholly` where nothing of it was typed over since. */
export interface MovedMethodsAnswer {
	moved: { index: number; row: number; label: string; wholly: boolean }[];
}

/** Longest run of periods before the first one that a trend looks at. */
const MOST_BEFORE = 60;

/**
 * What a method gives for a row of a form: a value for each of its leaf periods that the person may fill, beside what
 * stands there. Years before the scenario's span are read in what it continues from.
 */
function workOutRow({ form, draft, guard }: OpenForm, row: number, method: Method): MethodAnswer {
	const wanted = wantedOf(form, guard, row, method);
	return 'reason' in wanted ? wanted : fromRead(form, row, method, wanted, readTogether(draft.reader, [wanted])[0]!);
}

/** What a method has to read for a row. */
interface Wanted {
	members: Int32Array;
	currency: string;
	columns: { column: number; period: number }[];
	yearsBefore: number[];
	/** The run of periods a trend goes by. */
	run: number[];
	driver: number | undefined;
}

const nothing = (reason: string): MethodAnswer => ({ columns: [], quarters: [], currency: '', reason });

function wantedOf(form: FormView, guard: WriteGuard, row: number, method: Method): Wanted | MethodAnswer {
	const { model } = form;
	const columns = fillableColumns(form, guard, row);
	if (columns.length === 0) return nothing('There is no period in this row that you may fill.');
	if (form.query.periodAxis !== 'column') return nothing('Methods fill rows whose periods stand side by side.');
	const { column, period: first } = columns[0]!;
	const driver = 'driver' in method ? model.accounts.ordinal(method.driver) : undefined;
	if ('driver' in method && driver === undefined) return nothing('Choose the account that drives this row.');
	const before = method.kind === 'trend' ? Math.min(method.periods, MOST_BEFORE, first) : 0;
	return {
		members: form.cell(row, column).members,
		currency: form.currencyOf(row, column),
		columns,
		yearsBefore: columns.map(({ period }) => yearBefore(model, period) ?? -1),
		run: Array.from({ length: before }, (_, index) => first - before + index),
		driver
	};
}

/** What a method gives, where what it goes by is read. */
function fromRead(
	form: FormView,
	row: number,
	method: Method,
	{ columns, currency, yearsBefore, run, driver }: Wanted,
	read: (period: number, ofDriver?: boolean) => number
): MethodAnswer {
	const { model } = form;
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
	return { columns: found, quarters, currency, reason };
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
 * Reads rows, and their drivers, at leaf periods; each in the scenario that speaks about the period. Rows read in one
 * currency are read in one scan.
 */
function readTogether(reader: Reader, rows: readonly Wanted[]): ((period: number, ofDriver?: boolean) => number)[] {
	const { model } = reader;
	const readers = new Array<(period: number, ofDriver?: boolean) => number>(rows.length);
	for (const currency of new Set(rows.map((row) => row.currency))) {
		const places = new Map<string, number>();
		const columns: Line[] = [];
		const lines: Line[] = [];
		const placeOf = ({ members }: Wanted, period: number): number | undefined => {
			const found = period < 0 ? undefined : continuationOf(model, members[model.scenarioAxis]!, period);
			if (!found) return undefined;
			const key = `${found.scenario} ${period}`;
			if (!places.has(key)) {
				places.set(key, columns.length);
				columns.push({
					[model.scenarios.id]: model.scenarios.member(found.scenario).id,
					[model.periods.dimension.id]: model.periods.dimension.member(model.periods.leaf(period).ordinal).id
				});
			}
			return places.get(key);
		};
		const lineOf = ({ members }: Wanted, account: number): number =>
			lines.push(
				Object.fromEntries(
					model.dimensions.flatMap((dimension, axis) =>
						axis === model.scenarioAxis ? [] : [[dimension.id, dimension.member(axis === model.accountAxis ? account : members[axis]!).id]]
					)
				)
			) - 1;
		// Known once all of them have said what they read.
		const found: { values?: Float64Array } = {};
		for (const [index, row] of rows.entries()) {
			if (row.currency !== currency) continue;
			for (const period of [...row.columns.map((each) => each.period), ...row.yearsBefore, ...row.run]) placeOf(row, period);
			const own = lineOf(row, row.members[model.accountAxis]!);
			const driver = row.driver === undefined ? -1 : lineOf(row, row.driver);
			readers[index] = (period, ofDriver = false) => {
				const place = placeOf(row, period);
				return place === undefined || !found.values ? EMPTY : found.values[(ofDriver ? driver : own) * columns.length + place]!;
			};
		}
		if (columns.length === 0) continue;
		const view = new View(compileQuery(model, { slice: {}, rows: lines, columns, currency }));
		view.fill(reader);
		found.values = view.evaluate().values;
	}
	return readers;
}

/** Rows looked at for what has moved beneath their methods. */
const MOST_ROWS = 40;

/** Of rows that were filled by a method in the currency they are shown in: those for which it gives something else now. */
function movedAmong({ form, draft, guard }: OpenForm, methods: MovedMethodsAsk['methods']): MovedMethodsAnswer['moved'] {
	const { model } = form;
	const asked: { index: number; row: number; wanted: Wanted }[] = [];
	for (const [index, { place, method, currency, values }] of methods.entries()) {
		const cell = form.cellsAt([[...place, Number(Object.keys(values)[0])]])[0]?.[0];
		if (cell === undefined || asked.length >= MOST_ROWS) continue;
		const row = Math.floor(cell / form.columns);
		const wanted = wantedOf(form, guard, row, method);
		// Rates and amounts of a method are in the currency in which it filled the row.
		if (!('reason' in wanted) && wanted.currency === currency) asked.push({ index, row, wanted });
	}
	const readers = readTogether(
		draft.reader,
		asked.map(({ wanted }) => wanted)
	);
	return asked.flatMap(({ index, row, wanted }, at) => {
		const { method, values } = methods[index]!;
		const { columns } = fromRead(form, row, method, wanted, readers[at]!);
		const account = model.account(wanted.members[model.accountAxis]!);
		const moved = methodMoved(
			columns.flatMap(({ period, now, value }) =>
				values[period] === undefined ? [] : [{ now: now ?? EMPTY, gave: values[period], gives: value ?? EMPTY }]
			),
			account?.decimals ?? 2
		);
		return moved === 'no' ? [] : [{ index, row, label: form.expanded.rows[row]!.label, wholly: moved === 'wholly' }];
	});
}

/** What a method gives for a row of a form. */
export async function method(engine: ModelEngine, ask: FormAsk & { row: number; method: Method }): Promise<MethodAnswer> {
	const open = await engine.openForm(ask);
	requireFrame(open.form, ask.seenFrame);
	requireCell(open.form, ask.row, 0);
	return workOutRow(open, ask.row, ask.method);
}

/** Of rows filled by a method: those for which it gives something else now. */
export async function movedMethods(engine: ModelEngine, ask: MovedMethodsAsk): Promise<MovedMethodsAnswer> {
	return { moved: movedAmong(await engine.openForm(ask), ask.methods) };
}
