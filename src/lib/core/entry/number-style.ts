import type { DateOrder } from '../calendar';
import type { NumberStyle } from './parse';

/** By locale; asking the platform takes half a millisecond, and it is asked with every figure that is typed. */
const known = new Map<string, NumberStyle>();

/** How numbers are written where a person comes from, by their locale. */
export function numberStyle(locale: string): NumberStyle {
	let style = known.get(locale);
	if (!style) known.set(locale, (style = styleOf(locale)));
	return style;
}

function styleOf(locale: string): NumberStyle {
	const parts = new Intl.NumberFormat(locale, { useGrouping: true }).formatToParts(1_234_567.8);
	const decimal = parts.find(({ type }) => type === 'decimal')?.value;
	const mark = parts.find(({ type }) => type === 'group')?.value ?? '';
	const group = mark === "'" ? '’' : mark;
	return {
		decimal: decimal === ',' ? ',' : '.',
		group: group === '.' || group === ',' || group === '’' ? group : group.trim() === '' && group !== '' ? ' ' : ''
	};
}

/** How dates are written where a person comes from: which part comes first, and the names of the months. */
export function dateStyle(locale: string): { order: DateOrder; months: string[] } {
	let style = knownDates.get(locale);
	if (!style) knownDates.set(locale, (style = dateStyleOf(locale)));
	return style;
}
const knownDates = new Map<string, { order: DateOrder; months: string[] }>();

function dateStyleOf(locale: string): { order: DateOrder; months: string[] } {
	const parts = new Intl.DateTimeFormat(locale, { timeZone: 'UTC' }).formatToParts(new Date(Date.UTC(2028, 0, 15)));
	const [day, month] = ['day', 'month'].map((type) => parts.findIndex((part) => part.type === type)) as [number, number];
	const name = new Intl.DateTimeFormat(locale, { month: 'long', timeZone: 'UTC' });
	return {
		order: month < day && parts[0]?.type !== 'year' ? 'month first' : 'day first',
		months: Array.from({ length: 12 }, (_, place) => name.format(new Date(Date.UTC(2028, place, 15))).toLowerCase())
	};
}

/** The ways of writing numbers and dates a person may choose from. */
export const LOCALES = [
	'en-GB',
	'en-US',
	'en-IE',
	'de-DE',
	'de-AT',
	'de-CH',
	'fr-FR',
	'it-IT',
	'es-ES',
	'nl-NL',
	'sv-SE',
	'nb-NO',
	'da-DK',
	'fi-FI',
	'pl-PL'
] as const;

/** The first of the ways a browser asks for that may be chosen; a language alone stands for its usual country. */
export function localeAsked(acceptLanguage: string): (typeof LOCALES)[number] | undefined {
	const asked = acceptLanguage
		.split(',')
		.map((part) => part.split(';')[0]!.trim().toLowerCase())
		.filter((tag) => tag !== '');
	for (const tag of asked) {
		const found = LOCALES.find((locale) => locale.toLowerCase() === tag) ?? LOCALES.find((locale) => locale.slice(0, 2) === tag);
		if (found) return found;
	}
	return undefined;
}
