import { EMPTY, isEmpty, sameAmount } from '../number';

/** Amounts put on top, one a period to fill or one a quarter; a quarter's is spread evenly over its periods. */
export interface Adjustments {
	per: 'period' | 'quarter';
	amounts: readonly number[];
}

/** How a row is worked out from what is known. An adjustment is put on top of every period, and further ones of some. */
export type Method = { adjustPercent: number; adjustAmount: number; adjustments?: Adjustments | undefined } & (
	| { kind: 'driver and rate'; driver: number; rate: number }
	/** What last year cost for each unit of the driver, raised by a percentage, times the driver. */
	| { kind: 'driver at last year’s rate'; driver: number; percent: number }
	/** Last year's average a period, raised by a percentage. */
	| { kind: 'average last year'; percent: number }
	/** The same period of last year, grown by a percentage. */
	| { kind: 'growth on last year'; percent: number }
	/** A straight line through the last periods before the first one, by least squares. */
	| { kind: 'trend'; periods: number }
);

/** What a method reads: one value a period to fill, empty where there is none. */
export interface MethodInput {
	/** The same periods a year earlier. */
	lastYear: readonly number[];
	/** The periods just before the first one, oldest first. */
	before: readonly number[];
	/** The driver's values in the periods to fill. */
	driver: readonly number[];
	/** The driver's values in the same periods a year earlier. */
	driverLastYear: readonly number[];
	/** Which quarter each period to fill lies in, counted from 0. */
	quarters: readonly number[];
}

/**
 * A value for each period to fill; empty where the method has nothing to go by. Percentages are fractions.
 * Trend: ordinary least squares over the periods with a value, of which it needs two.
 */
export function methodValues(method: Method, input: MethodInput): number[] {
	const adjusted = (value: number, index: number): number =>
		isEmpty(value)
			? EMPTY
			: value * (1 + method.adjustPercent) + method.adjustAmount + adjustmentOf(method.adjustments, input.quarters, index);
	const { lastYear } = input;
	switch (method.kind) {
		case 'driver and rate':
			return input.driver.map((driver, index) => adjusted(driver * method.rate, index));
		case 'driver at last year’s rate': {
			const [cost, units] = [total(lastYear), total(input.driverLastYear)];
			const rate = isEmpty(cost) || isEmpty(units) || units === 0 ? EMPTY : (cost / units) * (1 + method.percent);
			return input.driver.map((driver, index) => adjusted(driver * rate, index));
		}
		case 'average last year': {
			const present = lastYear.filter((value) => !isEmpty(value));
			// Periods without a value count as nothing: the year's total is what is kept.
			const average = present.length === 0 ? EMPTY : present.reduce((sum, value) => sum + value, 0) / lastYear.length;
			return lastYear.map((_, index) => adjusted(average * (1 + method.percent), index));
		}
		case 'growth on last year':
			return lastYear.map((value, index) => adjusted(value * (1 + method.percent), index));
		case 'trend': {
			const line = leastSquares(input.before.slice(-method.periods));
			return lastYear.map((_, index) => adjusted(line(index), index));
		}
		default:
			return method satisfies never;
	}
}

/** A period of a row that a method filled: what shows, what the method gave then, and what it gives now. */
export interface FilledPeriod {
	now: number;
	gave: number;
	gives: number;
}

/**
 * Whether a method would fill a row otherwise than it did, where its figures still stand: what was typed over since, or
 * never saved, is nobody's to be filled again. `partly` where some of what would change was typed over meanwhile.
 * @param decimals to which the account's figures are kept
 */
export function methodMoved(periods: readonly FilledPeriod[], decimals: number): 'no' | 'partly' | 'wholly' {
	const same = (one: number, other: number) => isEmpty(one) === isEmpty(other) && (isEmpty(one) || sameAmount(one, other, decimals));
	const moved = periods.filter(({ gave, gives }) => !same(gave, gives));
	const standing = moved.filter(({ now, gave }) => same(now, gave));
	return standing.length === 0 ? 'no' : standing.length === moved.length ? 'wholly' : 'partly';
}

/** What is put on top of one period. */
function adjustmentOf(adjustments: Adjustments | undefined, quarters: readonly number[], index: number): number {
	if (!adjustments) return 0;
	if (adjustments.per === 'period') return adjustments.amounts[index] ?? 0;
	const quarter = quarters[index]!;
	return (adjustments.amounts[quarter] ?? 0) / quarters.filter((each) => each === quarter).length;
}

/** The sum of what is there; empty where nothing is. */
function total(values: readonly number[]): number {
	const present = values.filter((value) => !isEmpty(value));
	return present.length === 0 ? EMPTY : present.reduce((sum, value) => sum + value, 0);
}

/** A straight line through values at −n … −1, to be read at 0, 1, 2 …; empty with fewer than two values. */
function leastSquares(values: readonly number[]): (at: number) => number {
	const points = values.flatMap((value, index) => (isEmpty(value) ? [] : [[index - values.length, value] as const]));
	if (points.length < 2) return () => EMPTY;
	const meanX = points.reduce((sum, [x]) => sum + x, 0) / points.length;
	const meanY = points.reduce((sum, [, y]) => sum + y, 0) / points.length;
	const slope = points.reduce((sum, [x, y]) => sum + (x - meanX) * (y - meanY), 0) / points.reduce((sum, [x]) => sum + (x - meanX) ** 2, 0);
	return (at) => meanY + slope * (at - meanX);
}
