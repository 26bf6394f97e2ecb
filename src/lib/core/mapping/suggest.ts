import { distance } from 'fastest-levenshtein';
import type { MapLine } from './value-map';

export interface Suggestion {
	member: number;
	/** Why, in words for the page. */
	reason: string;
	score: number;
}

export interface Candidate {
	id: number;
	code: string;
	name: string;
}

const MOST_SUGGESTIONS = 4;
/** Values looked at on either side when neighbours are counted. */
const NEIGHBOURS = 3;

/**
 * Members a source value without one probably means, the likeliest first: those to which the neighbouring codes go, and
 * those whose code or name is nearly the value or what the source says beside it.
 * O(candidates + lines) a value.
 * @param label what the source calls the value, empty when it does not say
 */
export function suggestMembers(value: string, label: string, lines: readonly MapLine[], candidates: readonly Candidate[]): Suggestion[] {
	const best = new Map<number, Suggestion>();
	const offer = (member: number, score: number, reason: string) => {
		if (score > (best.get(member)?.score ?? 0)) best.set(member, { member, score, reason });
	};
	const known = new Set(candidates.map(({ id }) => id));
	for (const { member, score, reason } of neighbours(value, lines)) if (known.has(member)) offer(member, score, reason);
	const wanted = [value, label].map((text) => text.trim().toLowerCase()).filter((text) => text !== '');
	for (const { id, code, name } of candidates)
		for (const text of wanted) {
			if (text === code.toLowerCase()) offer(id, 1, 'the same code');
			if (/[a-z]/i.test(text)) {
				const alike = likeness(text, name.toLowerCase());
				if (alike >= 0.55) offer(id, alike * 0.9, alike === 1 ? 'the same name' : 'a similar name');
			}
		}
	return [...best.values()].sort((a, b) => b.score - a.score).slice(0, MOST_SUGGESTIONS);
}

interface Neighbour {
	text: string;
	member: number;
	reverseSign: boolean;
	close: number;
}

/** Whether most of the mapped values around a value turn the sign of their rows, nearer ones counting more. */
export function neighboursReverse(value: string, lines: readonly MapLine[]): boolean {
	const near = nearest(value, lines);
	const share = (reversed: boolean) =>
		near.filter(({ reverseSign }) => reverseSign === reversed).reduce((sum, { close }) => sum + close, 0);
	return share(true) > share(false);
}

/** The mapped values nearest to one: numbers by distance, texts by common beginning. */
function nearest(value: string, lines: readonly MapLine[]): Neighbour[] {
	const points = lines.flatMap((line) => {
		const { member, reverseSign } = line;
		if (member === null || line.skip) return [];
		const texts =
			line.kind === 'single' ? [line.value] : line.kind === 'any of' ? line.values : line.kind === 'span' ? [line.from, line.to] : [];
		return texts.map((text) => ({ text, member, reverseSign }));
	});
	const number = value.trim() === '' ? Number.NaN : Number(value);
	const isNumber = Number.isFinite(number);
	return points
		.map((point) => {
			if (isNumber && point.text.trim() !== '' && Number.isFinite(Number(point.text))) {
				const away = Math.abs(Number(point.text) - number);
				return { ...point, close: 1 / (1 + away / Math.max(1, 10 ** (String(Math.trunc(Math.abs(number))).length - 3))) };
			}
			let same = 0;
			while (same < value.length && same < point.text.length && value[same] === point.text[same]) same++;
			return { ...point, close: isNumber ? 0 : (same / Math.max(value.length, point.text.length, 1)) * 0.8 };
		})
		.filter(({ close }) => close > 0.15)
		.sort((a, b) => b.close - a.close)
		.slice(0, NEIGHBOURS * 2);
}

/** Where the nearest mapped codes go. */
function neighbours(value: string, lines: readonly MapLine[]): Suggestion[] {
	const near = nearest(value, lines);
	const byMember = new Map<number, { texts: string[]; score: number }>();
	for (const { text, member, close } of near) {
		const there = byMember.get(member) ?? { texts: [], score: 0 };
		there.texts.push(text.trim());
		there.score += close;
		byMember.set(member, there);
	}
	return [...byMember].map(([member, { texts, score }]) => ({
		member,
		score: Math.min(0.95, score / 1.6),
		reason: texts.length === 1 ? `neighbour ${texts[0]} goes there` : `neighbours ${texts.sort().slice(0, 3).join(', ')} go there`
	}));
}

/** 1 for equal texts, 0 for texts with nothing in common; a text within the other counts by its share. Levenshtein (1966). */
function likeness(a: string, b: string): number {
	if (a === b) return 1;
	const longest = Math.max(a.length, b.length);
	const edits = 1 - distance(a, b) / longest;
	const within =
		a.length >= 4 && b.length >= 4 && (a.includes(b) || b.includes(a)) ? 0.6 + 0.4 * (Math.min(a.length, b.length) / longest) : 0;
	return Math.max(edits, within);
}
