import { dateOfDay, dayNumber, lastDayOfMonth } from './date';

export type PeriodLevel = 'year' | 'half' | 'quarter' | 'month' | 'week' | 'day';

/** Calendar months, or months of whole weeks: the numbers are weeks a month, quarter by quarter; `13×4` has thirteen months of four. */
export type CalendarPattern = 'calendar months' | '4-4-5' | '4-5-4' | '5-4-4' | '13×4';

export interface CalendarDefinition {
	/** The smallest period. Weeks need a pattern of weeks, days go with either. */
	grain: 'quarter' | 'month' | 'week' | 'day';
	pattern: CalendarPattern;
	/** First month of the fiscal year, 1–12. */
	fiscalStartMonth: number;
	/** With a pattern of weeks: the weekday a week and the year begin on (1 Monday … 7 Sunday). The year begins on the one nearest to the first of the fiscal start month. */
	weekStart?: number;
	/** Whether FY2027 is the fiscal year that begins or the one that ends in 2027. */
	namedBy: 'first year' | 'last year';
	/** The first fiscal year by its name, and how many. */
	firstYear: number;
	years: number;
	/** The levels between year and grain that are wanted. */
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

const WEEKS_A_MONTH: Record<Exclude<CalendarPattern, 'calendar months'>, number[]> = {
	'4-4-5': [4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5],
	'4-5-4': [4, 5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4],
	'5-4-4': [5, 4, 4, 5, 4, 4, 5, 4, 4, 5, 4, 4],
	'13×4': [4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4, 4]
};

/**
 * The periods of a calendar, parents before what is under them and otherwise in time order. The days of a year follow
 * each other without a gap, and the years too. A year of 53 weeks has its extra week in its last month.
 * @throws RangeError when the definition makes no sense
 */
export function generatePeriods(calendar: CalendarDefinition): CalendarPeriod[] {
	check(calendar);
	const periods: CalendarPeriod[] = [];
	for (let offset = 0; offset < calendar.years; offset++) periods.push(...yearPeriods(calendar, calendar.firstYear + offset));
	return periods;
}

/**
 * The same calendar with more years at either end. Periods that were there keep their codes, dates and places within
 * their year, so nothing stored by year and place moves.
 */
export const extendCalendar = (
	calendar: CalendarDefinition,
	{ before = 0, after = 0 }: { before?: number; after?: number }
): CalendarDefinition => ({
	...calendar,
	firstYear: calendar.firstYear - before,
	years: calendar.years + before + after
});

function check(calendar: CalendarDefinition): void {
	const { fiscalStartMonth, years, grain, pattern, weekStart } = calendar;
	if (!Number.isInteger(fiscalStartMonth) || fiscalStartMonth < 1 || fiscalStartMonth > 12)
		throw new RangeError(`The fiscal year starts in a month from 1 to 12, not ${fiscalStartMonth}.`);
	if (!Number.isInteger(years) || years < 1) throw new RangeError('A calendar needs at least one year.');
	if (grain === 'week' && pattern === 'calendar months')
		throw new RangeError('Weeks do not fit into calendar months: choose a pattern of weeks.');
	if (grain === 'quarter' && pattern === '13×4') throw new RangeError('Thirteen months make no quarters.');
	if (weekStart !== undefined && (!Number.isInteger(weekStart) || weekStart < 1 || weekStart > 7))
		throw new RangeError(`A week starts on a day from 1 (Monday) to 7 (Sunday), not ${weekStart}.`);
}

/** A month before its code and parent are known: days as day numbers. */
interface MonthSpan {
	from: number;
	to: number;
	code: string;
	name: string;
}

function yearPeriods(calendar: CalendarDefinition, fiscalYear: number): CalendarPeriod[] {
	const yearCode = `FY${fiscalYear}`;
	const months = calendar.pattern === 'calendar months' ? calendarMonths(calendar, fiscalYear) : weekMonths(calendar, fiscalYear);
	const period = (
		level: PeriodLevel,
		code: string,
		name: string,
		from: number,
		to: number,
		parent: string | undefined
	): CalendarPeriod => ({
		code,
		name,
		level,
		start: dateOfDay(from),
		end: dateOfDay(to),
		fiscalYear,
		parent
	});
	/** A level that groups `size` months each; thirteen months have none. */
	const grouped = (level: 'half' | 'quarter') => months.length === 12 && (calendar.levels.includes(level) || calendar.grain === level);
	const periods = [period('year', yearCode, yearCode, months[0]!.from, months.at(-1)!.to, undefined)];
	months.forEach((month, index) => {
		let parent = yearCode;
		for (const { level, size, letter } of [
			{ level: 'half', size: 6, letter: 'H' },
			{ level: 'quarter', size: 3, letter: 'Q' }
		] as const) {
			if (!grouped(level)) continue;
			const number = Math.floor(index / size) + 1;
			const code = `${yearCode}-${letter}${number}`;
			if (index % size === 0)
				periods.push(period(level, code, `${letter}${number} ${yearCode}`, month.from, months[index + size - 1]!.to, parent));
			parent = code;
		}
		if (calendar.grain === 'quarter') return;
		if (calendar.grain === 'month' || calendar.levels.includes('month')) {
			periods.push(period('month', month.code, month.name, month.from, month.to, parent));
			parent = month.code;
		}
		const weeks =
			calendar.pattern !== 'calendar months' &&
			(calendar.grain === 'week' || (calendar.grain === 'day' && calendar.levels.includes('week')));
		for (let day = month.from; day <= month.to; day += weeks ? 7 : 1) {
			if (calendar.grain === 'month') break;
			let above = parent;
			if (weeks) {
				const number = (day - months[0]!.from) / 7 + 1;
				above = `${yearCode}-W${String(number).padStart(2, '0')}`;
				periods.push(period('week', above, `W${number} ${yearCode}`, day, day + 6, parent));
			}
			if (calendar.grain !== 'day') continue;
			for (let each = day; each < day + (weeks ? 7 : 1); each++) {
				const date = dateOfDay(each);
				periods.push(
					period('day', date, `${Number(date.slice(8))} ${MONTHS[Number(date.slice(5, 7)) - 1]} ${date.slice(0, 4)}`, each, each, above)
				);
			}
		}
	});
	return periods;
}

/** The calendar year in which a fiscal year begins. */
const startYear = ({ fiscalStartMonth, namedBy }: CalendarDefinition, fiscalYear: number): number =>
	fiscalStartMonth > 1 && namedBy === 'last year' ? fiscalYear - 1 : fiscalYear;

function calendarMonths(calendar: CalendarDefinition, fiscalYear: number): MonthSpan[] {
	return Array.from({ length: 12 }, (_, index) => {
		const count = calendar.fiscalStartMonth - 1 + index;
		const year = startYear(calendar, fiscalYear) + Math.floor(count / 12);
		const month = (count % 12) + 1;
		const code = `${year}-${String(month).padStart(2, '0')}`;
		return { from: dayNumber(`${code}-01`), to: dayNumber(lastDayOfMonth(year, month)), code, name: `${MONTHS[month - 1]} ${year}` };
	});
}

function weekMonths(calendar: CalendarDefinition, fiscalYear: number): MonthSpan[] {
	const first = firstDayOfWeekYear(calendar, fiscalYear);
	const weeks = (firstDayOfWeekYear(calendar, fiscalYear + 1) - first) / 7;
	const lengths = WEEKS_A_MONTH[calendar.pattern as keyof typeof WEEKS_A_MONTH].slice();
	lengths[lengths.length - 1]! += weeks - 52;
	let from = first;
	return lengths.map((length, index) => {
		const to = from + length * 7 - 1;
		const month = { from, to, code: `FY${fiscalYear}-M${String(index + 1).padStart(2, '0')}`, name: `M${index + 1} FY${fiscalYear}` };
		from = to + 1;
		return month;
	});
}

/** The week-start nearest to the first of the fiscal start month (with Monday and January: the ISO 8601 week year). */
function firstDayOfWeekYear(calendar: CalendarDefinition, fiscalYear: number): number {
	const first = dayNumber(`${startYear(calendar, fiscalYear)}-${String(calendar.fiscalStartMonth).padStart(2, '0')}-01`);
	// Day 0, 1970-01-01, was a Thursday.
	const weekday = ((((first + 3) % 7) + 7) % 7) + 1;
	const back = (weekday - (calendar.weekStart ?? 1) + 7) % 7;
	return back <= 3 ? first - back : first + 7 - back;
}
