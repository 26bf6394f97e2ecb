/**
 * Calendars: from a definition (grain, fiscal start, naming, horizon) to the periods of a period dimension.
 *
 * Periods come out parents first; leaves are one continuous sequence, so "the month before" April crosses the fiscal
 * year by itself. Dates are plain calendar dates `YYYY-MM-DD` without a time zone. Cost: O(periods).
 */
export { extendCalendar, generatePeriods } from './generate';
export type { CalendarDefinition, CalendarPattern, CalendarPeriod, PeriodLevel } from './generate';
export { dayNumber, dateOfDay, isDate } from './date';
export { PeriodAxis } from './period-axis';
export { Shifts } from './shift';
export type { LeafPeriod, PeriodFacts, PeriodRange } from './period-axis';
export { readDate, type DateOrder } from './read-date';
