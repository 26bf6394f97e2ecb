const DAY = 86_400_000;

/** Days since 1970-01-01 of a plain date `YYYY-MM-DD`. */
export const dayNumber = (date: string): number => Date.parse(`${date}T00:00:00Z`) / DAY;

/** The plain date of a day number. */
export const dateOfDay = (day: number): string => new Date(day * DAY).toISOString().slice(0, 10);

/** The last day of a month (1–12) as a plain date. */
export const lastDayOfMonth = (year: number, month: number): string => dateOfDay(Date.UTC(year, month, 0) / DAY);

/** Whether a text is an existing plain date. */
export function isDate(text: string): boolean {
	if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
	const day = dayNumber(text);
	return Number.isFinite(day) && dateOfDay(day) === text;
}
