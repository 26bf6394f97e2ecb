import { isDate } from './date';

/** In which order a person writes the parts of a date where only numbers stand. */
export type DateOrder = 'day first' | 'month first';

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];

/**
 * Reads a date as people write it: `2028-01-15`, `15.01.2028`, `15/1/2028` (or `1/15/2028`, by the person's order),
 * `15 Jan 2028`, `Jan 15, 2028`.
 * @param months the names of the months where the person comes from, in lower case, beside the English ones
 * @returns the plain date, undefined where it is none
 */
export function readDate(text: string, order: DateOrder, months: readonly string[] = []): string | undefined {
	const written = text.trim();
	if (isDate(written)) return written;
	const numbers = /^(\d{1,2})([./-])(\d{1,2})\2(\d{4})$/.exec(written);
	if (numbers) {
		const [, first, mark, second, year] = numbers;
		// Points are written day first everywhere.
		const isDayFirst = mark === '.' || order === 'day first';
		return plain(year!, isDayFirst ? second! : first!, isDayFirst ? first! : second!);
	}
	const yearFirst = /^(\d{4})[./](\d{1,2})[./](\d{1,2})$/.exec(written);
	if (yearFirst) return plain(yearFirst[1]!, yearFirst[2]!, yearFirst[3]!);
	const words = written
		.toLowerCase()
		.replaceAll(/[.,]/g, ' ')
		.split(/[\s-]+/)
		.filter(Boolean);
	if (words.length !== 3) return undefined;
	const month = words.findIndex((word) => /\p{L}/u.test(word));
	const name = words[month];
	const [one, year] = words.filter((_, place) => place !== month);
	const number = name === undefined ? 0 : monthOf(name, months);
	return number > 0 && month < 2 && /^\d{1,2}$/.test(one ?? '') && /^\d{4}$/.test(year ?? '')
		? plain(year!, String(number), one!)
		: undefined;
}

function monthOf(name: string, months: readonly string[]): number {
	const exact = MONTHS.findIndex((each) => name.startsWith(each)) + 1;
	return exact > 0 ? exact : months.findIndex((each) => each === name || (name.length >= 3 && each.startsWith(name))) + 1;
}

function plain(year: string, month: string, day: string): string | undefined {
	const date = `${year}-${month.padStart(2, '0')}-${day.padStart(2, '0')}`;
	return isDate(date) ? date : undefined;
}
