import { dayNumber, readDate, type DateOrder } from '../calendar';
import type { EntryInput } from './parse';

/** What choices and texts stand for. */
export interface CodedValues {
	/** The members of the account's choice list. */
	choices: readonly { member: number; code: string; name: string }[];
	/** The place of a text in the table of texts, made when it is new. */
	place: (text: string) => number;
	/** How the person writes dates. */
	dates?: { order: DateOrder; months: readonly string[] };
}

function dateInput(typed: string, { dates }: CodedValues): EntryInput {
	const date = readDate(typed, dates?.order ?? 'day first', dates?.months);
	return date === undefined
		? { kind: 'fault', message: `“${typed.slice(0, 40)}” is not a date. Type it as 2027-04-01, 1.4.2027 or 1 Apr 2027.` }
		: { kind: 'set', value: dayNumber(date) };
}

/** Texts longer than this are refused: notes are the place for more. */
const LONGEST_TEXT = 500;

/**
 * Reads what was typed into an account of choices, dates or texts; these are kept as numbers. A choice may be typed by
 * code or name, or by their beginning where only one begins so. Dates are read as
 * the person writes them.
 */
export function parseCoded(text: string, valueType: 'choice' | 'date' | 'text', values: CodedValues): EntryInput {
	const typed = text.trim();
	if (typed === '') return { kind: 'clear' };
	if (valueType === 'date') return dateInput(typed, values);
	if (valueType === 'text')
		return typed.length > LONGEST_TEXT
			? { kind: 'fault', message: `This text has ${typed.length} characters; at most ${LONGEST_TEXT} fit. Put the rest into a note.` }
			: { kind: 'set', value: values.place(typed) };
	const wanted = typed.toLowerCase();
	const exact = values.choices.filter(({ code, name }) => code.toLowerCase() === wanted || name.toLowerCase() === wanted);
	const found =
		exact.length > 0
			? exact
			: values.choices.filter(({ code, name }) => code.toLowerCase().startsWith(wanted) || name.toLowerCase().startsWith(wanted));
	if (found.length === 1) return { kind: 'set', value: found[0]!.member };
	const list = (found.length > 1 ? found : values.choices).slice(0, 5).map(({ name }) => name);
	return {
		kind: 'fault',
		message:
			found.length > 1
				? `“${typed}” may be ${list.join(' or ')}. Type more of it.`
				: `“${typed.slice(0, 40)}” is not among the choices, such as ${list.join(', ')}.`
	};
}
