import { parseEntry, type NumberStyle } from './parse';

/** How the numbers of a pasted block are written: the person's own way, another one, or either of them. */
export type PastedStyle = { kind: 'own' } | { kind: 'other'; style: NumberStyle } | { kind: 'either'; style: NumberStyle; example: string };

/**
 * Finds out how the numbers of a block are written, by all of them together. `1.234` alone fits two ways of writing and
 * means different amounts; beside `1.234,5` only one of them is left.
 * @param own the person's own way of writing
 */
export function pastedStyle(texts: readonly string[], own: NumberStyle): PastedStyle {
	const other: NumberStyle = own.decimal === '.' ? { decimal: ',', group: '.' } : { decimal: '.', group: ',' };
	const numbers = texts.filter((text) => /\d/.test(text) && !/[+\-*]?=/.test(text));
	const fits = (style: NumberStyle) => numbers.filter((text) => parseEntry(text, style).kind === 'set').length;
	const [ownFits, otherFits] = [fits(own), fits(other)];
	if (otherFits > ownFits) return { kind: 'other', style: other };
	if (otherFits < ownFits) return { kind: 'own' };
	const example = numbers.find((text) => {
		const [mine, theirs] = [parseEntry(text, own), parseEntry(text, other)];
		return mine.kind === 'set' && theirs.kind === 'set' && mine.value !== theirs.value;
	});
	return example === undefined ? { kind: 'own' } : { kind: 'either', style: other, example };
}
