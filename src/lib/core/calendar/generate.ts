import { lastDayOfMonth } from './date';

export type PeriodLevel = 'year' | 'half' | 'quarter' | 'month';

export interface CalendarDefinition {
	/** First month of the fiscal year, 1–12. */
	fiscalStartMonth: number;
	/** Whether FY2027 is the fiscal year that begins or the one that ends in 2027. */
	namedBy: 'first year' | 'last year';
	/** The first fiscal year by its name, and how many. */
	firstYear: number;
	years: number;
	/** The levels besides year and month. */
	levels: readonly PeriodLevel[];
}

export interface CalendarPeriod {
	code: string;
	name: string;
	level: PeriodLevel;
	/** First and last day, plain dates, both included. */
	start: string;
	end: string;
	fiscalYear: number;
	/** Code of the period above; undefined for years. */
	parent: string | undefined;
}

const MONTHS = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];

/**
 * The periods of a calendar of months, years first within each year, in time order.
 * @throws RangeError when the fiscal start is no month or the horizon is empty
 */
export function generatePeriods(calendar: CalendarDefinition): CalendarPeriod[] {
	if (!Number.isInteger(calendar.fiscalStartMonth) || calendar.fiscalStartMonth < 1 || calendar.fiscalStartMonth > 12)
		throw new RangeError(`The fiscal year starts in a month from 1 to 12, not ${calendar.fiscalStartMonth}.`);
	if (!Number.isInteger(calendar.years) || calendar.years < 1) throw new RangeError('A calendar needs at least one year.');
	const periods: CalendarPeriod[] = [];
	for (let offset = 0; offset < calendar.years; offset++) periods.push(...yearPeriods(calendar, calendar.firstYear + offset));
	return periods;
}

function yearPeriods(calendar: CalendarDefinition, fiscalYear: number): CalendarPeriod[] {
	const crosses = calendar.fiscalStartMonth > 1 && calendar.namedBy === 'last year';
	const startYear = crosses ? fiscalYear - 1 : fiscalYear;
	const yearCode = `FY${fiscalYear}`;
	/** Calendar year and month (1–12) of the n-th month of this fiscal year. */
	const monthAt = (n: number) => {
		const months = calendar.fiscalStartMonth - 1 + n;
		return { year: startYear + Math.floor(months / 12), month: (months % 12) + 1 };
	};
	const period = (
		level: PeriodLevel,
		code: string,
		name: string,
		first: number,
		last: number,
		parent: string | undefined
	): CalendarPeriod => {
		const from = monthAt(first);
		const to = monthAt(last);
		return {
			code,
			name,
			level,
			start: `${from.year}-${String(from.month).padStart(2, '0')}-01`,
			end: lastDayOfMonth(to.year, to.month),
			fiscalYear,
			parent
		};
	};
	const periods = [period('year', yearCode, yearCode, 0, 11, undefined)];
	for (let n = 0; n < 12; n++) {
		let parent = yearCode;
		if (calendar.levels.includes('half')) {
			const code = `${yearCode}-H${Math.floor(n / 6) + 1}`;
			if (n % 6 === 0) periods.push(period('half', code, `H${n / 6 + 1} ${yearCode}`, n, n + 5, parent));
			parent = code;
		}
		if (calendar.levels.includes('quarter')) {
			const code = `${yearCode}-Q${Math.floor(n / 3) + 1}`;
			if (n % 3 === 0) periods.push(period('quarter', code, `Q${n / 3 + 1} ${yearCode}`, n, n + 2, parent));
			parent = code;
		}
		const { year, month } = monthAt(n);
		periods.push(period('month', `${year}-${String(month).padStart(2, '0')}`, `${MONTHS[month - 1]} ${year}`, n, n, parent));
	}
	return periods;
}
