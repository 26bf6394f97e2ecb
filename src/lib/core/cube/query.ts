import type { PeriodLevel, PeriodRange } from '../calendar';
import { accountsRead } from '../formula';
import type { Model } from '../model';
import { isReadByLeaf } from './read-by-leaf';
import { classifyLeaves, type LeafClasses } from './classes';
import type { RatesLike } from './translation';

/** Members by dimension id, as ids: part of an address. */
export type Line = Readonly<Record<number, number>>;

/** A grid of cells: each is the slice, a row's members and a column's members together. */
export interface Query {
	slice: Line;
	rows: readonly Line[];
	columns: readonly Line[];
	/** An ISO code to read in, or `local`: the entities' own currency. */
	currency: string;
	/** Read at the rates of this set instead of the scenario's own: at constant rates. */
	rateSet?: number | undefined;
	/** Read at the rates another figure is read at. */
	ratesLike?: RatesLike | undefined;
	/**
	 * Lines of the axis with the periods that run from the start of a level to their own end: a month to date in its year.
	 * One entry a line; undefined for plain lines.
	 */
	toDate?: readonly (PeriodLevel | undefined)[];
}

/** A query that cannot be asked, with a sentence for the person who built it. */
export class QueryFault extends Error {
	constructor(message: string) {
		super(message);
		this.name = 'QueryFault';
	}
}

/** A run of leaf periods; one to date reaches back over the scenario's border into what it continues from. */
export interface QueryRange extends PeriodRange {
	toDate: boolean;
}

/** A place of a dimension in the grid. */
export type Axis = 'slice' | 'row' | 'column';

export interface CompiledQuery {
	model: Model;
	currency: string;
	/** A set (id), or the rates of another figure. */
	otherRates: number | RatesLike | undefined;
	/** Per dimension of the model: its classes, and how far apart two classes lie in the accumulator (in series). */
	classes: LeafClasses[];
	strides: number[];
	/** Product of the class counts. */
	series: number;
	/** Fiscal years met by the columns or rows, and where each leaf period lies in an accumulated series (−1: not asked). */
	years: number[];
	placeOfLeaf: Int32Array;
	seriesWidth: number;
	/** Members (ordinals) of each line by dimension, −1 where another axis binds it; the period has its own list. */
	slice: Int32Array;
	rows: Int32Array[];
	columns: Int32Array[];
	/** Where the period is bound, and the period ordinals there. */
	periodAxis: Axis;
	periods: number[];
	/** The different runs of leaf periods among the periods asked, and which one each period line has. */
	ranges: QueryRange[];
	rangeOf: Int32Array;
	/** Where the account is bound. */
	accountAxis: Axis;
}

/** The most places an accumulator may have: 8 million, 128 MB with its compensations. */
const MOST_PLACES = 8_000_000;

/**
 * Turns a query into class tables. O(leaves of the asked members).
 * @throws QueryFault when a dimension is bound nowhere or twice, a member is unknown, or formulas run in a circle
 */
export function compileQuery(model: Model, query: Query): CompiledQuery {
	const axisOf = bindAxes(model, query);
	const slice = toOrdinals(model, query.slice);
	const rows = query.rows.map((line) => toOrdinals(model, line));
	const columns = query.columns.map((line) => toOrdinals(model, line));
	const linesOn = { slice: [slice], row: rows, column: columns };
	const period = model.periods.dimension;
	const periodAxis = axisOf.get(period.id)!;
	const periodLines = { slice: [query.slice], row: query.rows, column: query.columns }[periodAxis];
	const periods = periodLines.map((line) => ordinalOf(model, period.id, line[period.id]!));

	const classes = model.dimensions.map((dimension, axis) => {
		let asked = [...new Set(linesOn[axisOf.get(dimension.id)!].map((line) => line[axis]!))];
		if (axis === model.accountAxis) asked = withOperands(model, asked);
		if (axis === model.scenarioAxis && query.toDate?.some((level) => level)) asked = withContinued(model, asked);
		return classifyLeaves(dimension, asked, factOf(model, axis));
	});
	const strides = new Array<number>(classes.length);
	let series = 1;
	for (let axis = 0; axis < classes.length; axis++) {
		strides[axis] = series;
		series *= Math.max(1, classes[axis]!.count);
	}
	const ranges: QueryRange[] = [];
	const rangeOf = Int32Array.from(periods, (ordinal, line) => {
		const toDate = query.toDate?.[line] !== undefined;
		const range = { ...rangeToDate(model, ordinal, query.toDate?.[line]), toDate };
		const known = ranges.findIndex((each) => each.from === range.from && each.to === range.to && each.toDate === toDate);
		return known >= 0 ? known : ranges.push(range) - 1;
	});
	const years = [...new Set(ranges.flatMap((range) => yearsOf(model, range)))].sort((a, b) => a - b);
	const width = model.periods.width;
	const placeOfLeaf = new Int32Array(model.periods.leaves.length).fill(-1);
	for (const leaf of model.periods.leaves) {
		const year = years.indexOf(leaf.fiscalYear);
		if (year >= 0) placeOfLeaf[leaf.index] = year * width + leaf.position;
	}
	const seriesWidth = years.length * width;
	if (series * seriesWidth > MOST_PLACES) throw new QueryFault('This would put too many cells on one page. Choose fewer rows or columns.');
	return {
		model,
		currency: query.currency,
		otherRates: query.ratesLike ?? query.rateSet,
		classes,
		strides,
		series,
		years,
		placeOfLeaf,
		seriesWidth,
		slice,
		rows,
		columns,
		periodAxis,
		periods,
		ranges,
		rangeOf,
		accountAxis: axisOf.get(model.accounts.id)!
	};
}

/** The leaf periods of a period, or from the start of the level above it that is named. */
function rangeToDate(model: Model, ordinal: number, level: PeriodLevel | undefined): PeriodRange {
	const range = model.periods.range(ordinal);
	if (!level) return range;
	const { tree } = model.periods.dimension;
	const start = [ordinal, ...tree.ancestors(ordinal)].find((each) => model.periods.facts(each)?.level === level);
	if (start === undefined)
		throw new QueryFault(`${model.periods.dimension.member(ordinal).name} lies in no ${level}, so it has no sum to date.`);
	return { from: model.periods.range(start).from, to: range.to };
}

/** On which axis each dimension is bound; every one exactly once. */
function bindAxes(model: Model, query: Query): Map<number, Axis> {
	const axisOf = new Map<number, Axis>();
	const bind = (line: Line, axis: Axis) => {
		for (const id of Object.keys(line).map(Number)) {
			const bound = axisOf.get(id);
			const name = model.dimension(id)?.name ?? `dimension ${id}`;
			if (bound !== undefined && bound !== axis) throw new QueryFault(`${name} is placed on two axes.`);
			axisOf.set(id, axis);
		}
	};
	bind(query.slice, 'slice');
	for (const row of query.rows) bind(row, 'row');
	for (const column of query.columns) bind(column, 'column');
	for (const definition of model.definition.dimensions) {
		const axis = axisOf.get(definition.id);
		if (axis === undefined) throw new QueryFault(`${definition.name} is not placed.`);
		const lines = axis === 'row' ? query.rows : axis === 'column' ? query.columns : [query.slice];
		if (lines.some((line) => line[definition.id] === undefined))
			throw new QueryFault(`${definition.name} is missing from some lines of its axis.`);
	}
	return axisOf;
}

function toOrdinals(model: Model, line: Line): Int32Array {
	return Int32Array.from(model.dimensions, (dimension) =>
		line[dimension.id] === undefined ? -1 : ordinalOf(model, dimension.id, line[dimension.id]!)
	);
}

function ordinalOf(model: Model, dimensionId: number, memberId: number): number {
	const dimension = model.dimension(dimensionId)!;
	const ordinal = dimension.ordinal(memberId);
	if (ordinal === undefined) throw new QueryFault(`${dimension.name} has no member ${memberId}.`);
	return ordinal;
}

/** Adds the accounts that formulas on the asked accounts read, and theirs. */
function withOperands(model: Model, asked: readonly number[]): number[] {
	const found = new Set(asked);
	const visit = (account: number, path: readonly number[]) => {
		const formula = model.formula(account);
		if (!formula) return;
		if (path.includes(account)) {
			const names = [...path.slice(path.indexOf(account)), account].map((ordinal) => model.accounts.member(ordinal).name);
			throw new QueryFault(`Formulas run in a circle: ${names.join(' → ')}.`);
		}
		for (const member of accountsRead(formula.expression)) {
			const operand = model.accounts.ordinal(member);
			if (operand === undefined) continue;
			found.add(operand);
			visit(operand, [...path, account]);
		}
	};
	for (const account of asked) visit(account, []);
	return [...found];
}

/** What else must be equal among the leaves of a class, besides where they count. */
function factOf(model: Model, axis: number): (leaf: number) => string | number {
	if (axis === model.accountAxis)
		return (leaf) => {
			const account = model.account(leaf);
			// Accounts that are not simply added up are read on their own.
			const alone = model.formula(leaf) || (account && isReadByLeaf(account));
			return `${account?.timeBehaviour} ${account?.valueType} ${account?.rateKind ?? ''} ${account?.kind === 'equity'} ${alone ? leaf : ''}`;
		};
	if (axis === model.balanceRoles.axis) return (leaf) => model.balanceRoles.roleOf(leaf) ?? '';
	if (axis === model.scenarioAxis) return (leaf) => leaf;
	if (axis === model.entityAxis) return (leaf) => model.currencyOf(leaf);
	return () => '';
}

function yearsOf(model: Model, { from, to }: PeriodRange): number[] {
	const years: number[] = [];
	for (let index = from; index <= to; index++) years.push(model.periods.leaf(index).fiscalYear);
	return years;
}

/** Adds the scenarios that the asked ones continue from: sums to date may reach back into them. */
function withContinued(model: Model, asked: readonly number[]): number[] {
	const found = new Set(asked);
	for (const member of asked)
		model.scenarios.eachWeightedLeaf(member, (leaf) => {
			for (let before = model.scenario(leaf)?.definition.continuesFrom; typeof before === 'number';) {
				const ordinal = model.scenarios.ordinal(before);
				if (ordinal === undefined || found.has(ordinal)) break;
				found.add(ordinal);
				before = model.scenario(ordinal)?.definition.continuesFrom;
			}
		});
	return [...found];
}
