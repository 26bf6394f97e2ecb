import { isDate } from '../calendar';

/** Each way of writing dates with its pattern; a month alone means its first day, a year and quarter the quarter's first. */
const PATTERNS = {
	'YYYY-MM-DD': /^(?<year>\d{4})-(?<month>\d{1,2})-(?<day>\d{1,2})(?:[T ].*)?$/,
	'DD.MM.YYYY': /^(?<day>\d{1,2})\.(?<month>\d{1,2})\.(?<year>\d{4})$/,
	'DD/MM/YYYY': /^(?<day>\d{1,2})\/(?<month>\d{1,2})\/(?<year>\d{4})$/,
	'MM/DD/YYYY': /^(?<month>\d{1,2})\/(?<day>\d{1,2})\/(?<year>\d{4})$/,
	'DD-MM-YYYY': /^(?<day>\d{1,2})-(?<month>\d{1,2})-(?<year>\d{4})$/,
	'YYYY/MM/DD': /^(?<year>\d{4})\/(?<month>\d{1,2})\/(?<day>\d{1,2})$/,
	'DD.MM.YY': /^(?<day>\d{1,2})\.(?<month>\d{1,2})\.(?<short>\d{2})$/,
	'DD MMM YYYY': /^(?<day>\d{1,2})[ -](?<name>[A-Za-z]{3,9})[ -](?<year>\d{4})$/,
	YYYYMMDD: /^(?<year>\d{4})(?<month>\d{2})(?<day>\d{2})$/,
	YYYYMM: /^(?<year>\d{4})(?<month>\d{2})$/,
	'YYYY-MM': /^(?<year>\d{4})-(?<month>\d{1,2})$/,
	'MM/YYYY': /^(?<month>\d{1,2})\/(?<year>\d{4})$/,
	'MM.YYYY': /^(?<month>\d{1,2})\.(?<year>\d{4})$/,
	'MMM YYYY': /^(?<name>[A-Za-z]{3,9})[ -](?<year>\d{4})$/,
	YYYY: /^(?<year>\d{4})$/
} as const;

export type SourceDateFormat = keyof typeof PATTERNS;

export const SOURCE_DATE_FORMATS = Object.keys(PATTERNS) as [SourceDateFormat, ...SourceDateFormat[]];

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];

/** A source's date as a plain date `YYYY-MM-DD`; a month alone means its first day. Undefined when it is no date. */
export function parseSourceDate(text: string, format: SourceDateFormat): string | undefined {
	const parts = (PATTERNS[format].exec(text.trim()) as { groups?: Record<string, string | undefined> } | null)?.groups;
	if (!parts) return undefined;
	const year = parts.year ?? `20${parts.short}`;
	const month = parts.name ? String(MONTHS.indexOf(parts.name.slice(0, 3).toLowerCase()) + 1) : (parts.month ?? '1');
	const date = `${year}-${month.padStart(2, '0')}-${(parts.day ?? '1').padStart(2, '0')}`;
	return isDate(date) ? date : undefined;
}

/** The ways of writing in which all of some texts are dates of this or the last century. Several remain where days are all below 13. */
export function dateFormats(texts: readonly string[]): SourceDateFormat[] {
	const written = texts.filter((text) => text.trim() !== '');
	if (written.length === 0) return [];
	return SOURCE_DATE_FORMATS.filter((format) =>
		written.every((text) => {
			const date = parseSourceDate(text, format);
			return date !== undefined && date >= '1950' && date < '2150';
		})
	);
}
