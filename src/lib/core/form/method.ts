import { EMPTY, isEmpty } from '../number';

/** How a row is worked out from what is known. An adjustment is put on top of every period. */
export type Method = { adjustPercent: number; adjustAmount: number } & (
	| { kind: 'driver and rate'; driver: number; rate: number }
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
}

/**
 * A value for each period to fill; empty where the method has nothing to go by. Percentages are fractions.
 * Trend: ordinary least squares over the periods with a value, of which it needs two.
 */
export function methodValues(method: Method, input: MethodInput): number[] {
	const adjusted = (value: number): number => (isEmpty(value) ? EMPTY : value * (1 + method.adjustPercent) + method.adjustAmount);
	const { lastYear } = input;
	switch (method.kind) {
		case 'driver and rate':
			return input.driver.map((driver) => adjusted(driver * method.rate));
		case 'average last year': {
			const present = lastYear.filter((value) => !isEmpty(value));
			// Periods without a value count as nothing: the year's total is what is kept.
			const average = present.length === 0 ? EMPTY : present.reduce((sum, value) => sum + value, 0) / lastYear.length;
			return lastYear.map(() => adjusted(average * (1 + method.percent)));
		}
		case 'growth on last year':
			return lastYear.map((value) => adjusted(value * (1 + method.percent)));
		case 'trend': {
			const line = leastSquares(input.before.slice(-method.periods));
			return lastYear.map((_, index) => adjusted(line(index)));
		}
		default:
			return method satisfies never;
	}
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
