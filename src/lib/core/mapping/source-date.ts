import { isDate } from '../calendar';

export type SourceDateFormat = 'YYYY-MM-DD' | 'DD.MM.YYYY' | 'MM/DD/YYYY' | 'YYYYMM' | 'YYYYMMDD';

const PATTERNS: Record<SourceDateFormat, RegExp> = {
	'YYYY-MM-DD': /^(?<year>\d{4})-(?<month>\d{2})-(?<day>\d{2})$/,
	'DD.MM.YYYY': /^(?<day>\d{1,2})\.(?<month>\d{1,2})\.(?<year>\d{4})$/,
	'MM/DD/YYYY': /^(?<month>\d{1,2})\/(?<day>\d{1,2})\/(?<year>\d{4})$/,
	YYYYMM: /^(?<year>\d{4})(?<month>\d{2})$/,
	YYYYMMDD: /^(?<year>\d{4})(?<month>\d{2})(?<day>\d{2})$/
};

/** A source's date as a plain date `YYYY-MM-DD`; a month alone means its first day. Undefined when it is no date. */
export function parseSourceDate(text: string, format: SourceDateFormat): string | undefined {
	const parts = PATTERNS[format].exec(text.trim())?.groups;
	if (!parts) return undefined;
	const date = `${parts.year}-${parts.month!.padStart(2, '0')}-${(parts.day ?? '1').padStart(2, '0')}`;
	return isDate(date) ? date : undefined;
}
