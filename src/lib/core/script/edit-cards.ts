import type { Card, PartCard, SelectionCard, Span } from './cards';
import { quoted } from './names';
import { formatScript } from './stored';

/** The text with a stretch of it replaced; all else stays as it is. */
export const replaceSpan = (text: string, { from, to }: Span, by: string): string => text.slice(0, from) + by + text.slice(to);

/** How tightly operators bind; the higher the tighter. */
const BINDING: Record<string, number> = {
	or: 1,
	and: 2,
	'=': 4,
	'<>': 4,
	'<': 4,
	'<=': 4,
	'>': 4,
	'>=': 4,
	'+': 5,
	'-': 5,
	'*': 6,
	'/': 6,
	'^': 8
};
const bindingOf = (part: PartCard): number => {
	if (part.kind === 'operation') return BINDING[part.operator]!;
	if (part.kind === 'is' || part.kind === 'in') return 4;
	if (part.kind === 'negative') return 7;
	if (part.kind === 'not') return 3;
	return part.kind === 'when' ? 0 : 9;
};

/**
 * Joins a part with another by an operator, in brackets where the result would otherwise be read in another order.
 * @param around what the part is a side of, if anything
 */
export function joinPart(text: string, part: PartCard, operator: string, other: string, around: PartCard | undefined): string {
	const binding = BINDING[operator]!;
	const own = text.slice(part.from, part.to);
	// Comparisons do not chain, and powers are read from the right.
	const isLoose = bindingOf(part) < binding || (bindingOf(part) === binding && (binding === 4 || binding === 8));
	const inner = isLoose ? `(${own})` : own;
	const joined = `${inner} ${operator} ${other}`;
	return replaceSpan(text, part, around && needsBrackets(around, part, binding) ? `(${joined})` : joined);
}

function needsBrackets(around: PartCard, part: PartCard, binding: number): boolean {
	if (around.kind === 'negative' || around.kind === 'not') return binding <= bindingOf(around);
	if (around.kind !== 'operation') return false;
	const outer = BINDING[around.operator]!;
	if (binding !== outer) return binding < outer;
	return binding === 4 || part === (binding === 8 ? around.left : around.right);
}

/** Puts a part under a condition: its value holds where the condition does. Conditions go to the whole of a value only. */
export const conditionPart = (text: string, part: PartCard, condition: string, isWhole: boolean): string => {
	const when = `when ${condition} then ${part.kind === 'when' ? `(${text.slice(part.from, part.to)})` : text.slice(part.from, part.to)}`;
	return replaceSpan(text, part, isWhole ? when : `(${when})`);
};

/** Takes a side of an operation away: the other one stands in its place. */
export const dropSide = (text: string, operation: PartCard & { kind: 'operation' }, side: 'left' | 'right'): string => {
	const kept = side === 'left' ? operation.right : operation.left;
	return replaceSpan(text, operation, text.slice(kept.from, kept.to));
};

/** Whether a selection names a level of the calendar, and so needs no dimension in front. */
export const isOfLevel = (how: SelectionCard['how']): boolean => how === 'level' || how === 'first' || how === 'last';

/** A selection as it is written. Words are quoted where the language asks for it. */
export function printSelection({
	how,
	dimension,
	word,
	last,
	ofParameter,
	rest
}: Omit<SelectionCard, 'from' | 'to' | 'at' | 'lastAt' | 'narrowed'>): string {
	const front = dimension === undefined || isOfLevel(how) ? '' : `${quoted(dimension)}: `;
	const name = ofParameter || how === 'parameter' ? `$${word}` : quoted(word);
	const said = {
		member: name,
		parameter: name,
		children: `children of ${name}`,
		leaves: `leaves of ${name}`,
		under: `under ${name}`,
		range: `${name} to ${quoted(last ?? word)}`,
		level: `level ${name}`,
		first: `first of level ${name}`,
		last: `last of level ${name}`
	}[how];
	return `${front}${said}${rest === '' ? '' : ` ${rest}`}`;
}

/** Puts another selection behind those of a scope. */
export const addSelection = (text: string, selections: readonly SelectionCard[], selection: string): string => {
	const end = selections.at(-1)!.to;
	return replaceSpan(text, { from: end, to: end }, `, ${selection}`);
};

/** Takes one of several selections away, and the comma beside it; comments between them stay. */
export function removeSelection(text: string, selections: readonly SelectionCard[], at: number): string {
	const gone = selections[at]!;
	const [one, other] = at > 0 ? [selections[at - 1]!, gone] : [gone, selections[1]!];
	let isGone = false;
	const gap = text.slice(one.to, other.from).replace(/--[^\n]*|,\s?/g, (found) => {
		if (found.startsWith('--') || isGone) return found;
		isGone = true;
		return '';
	});
	return at > 0 ? text.slice(0, one.to) + gap.trimEnd() + text.slice(gone.to) : text.slice(0, gone.from) + gap + text.slice(other.from);
}

/** Takes a scope away and leaves what is inside it. */
export const dissolveScope = (text: string, scope: Card & { kind: 'scope' }): string => {
	const head = text.slice(scope.from, scope.selections.at(-1)!.to);
	// Two strokes within a name begin no comment.
	const comments = (head.match(/"(?:[^"]|"")*"|--[^\n]*/g) ?? []).filter((found) => found.startsWith('--'));
	const body = text.slice(scope.selections.at(-1)!.to, scope.inside).replace(/^[ \t]+/, '');
	return formatScript(text.slice(0, scope.from) + [...comments, ''].join('\n') + body.replace(/^\n/, '').trimEnd() + text.slice(scope.to));
};

/** Puts a statement after a card of a list, or at the start of the list when there is none: its own line, set in. */
export function insertStatement(text: string, after: Card | undefined, before: number, statement: string): string {
	if (after) {
		const at = after.to + noteAfter(text, after).length;
		return formatScript(replaceSpan(text, { from: at, to: at }, `\n${statement}`));
	}
	const line = text.slice(0, before).endsWith('\n') || before === 0 ? '' : '\n';
	return formatScript(replaceSpan(text, { from: before, to: before }, `${line}${statement}\n`));
}

/** What stands after a card on its line when that is a note or nothing; another statement there is none of its own. */
const noteAfter = (text: string, card: Span): string => /^[ \t]*(?:--[^\n]*)?(?=\n|$)/.exec(text.slice(card.to))?.[0] ?? '';

/** The lines of a card, its note included: from the start of its first line to the start of the next one. */
function linesOf(text: string, card: Span): Span {
	const start = text.lastIndexOf('\n', card.from - 1) + 1;
	const isFirst = text.slice(start, card.from).trim() === '';
	const end = card.to + noteAfter(text, card).length;
	return { from: isFirst ? start : card.from, to: isFirst && text[end] === '\n' ? end + 1 : end };
}

/** Takes a statement away, with what is inside it and the note on its line. */
export function removeStatement(text: string, card: Card): string {
	const left = replaceSpan(text, linesOf(text, card), '');
	return formatScript(left);
}

/** Moves a statement before the one before it in its list, or after the one after it. */
export function swapStatements(text: string, first: Card, second: Card): string {
	const [one, other] = [linesOf(text, first), linesOf(text, second)];
	const ended = (lines: string) => (lines.endsWith('\n') ? lines : `${lines}\n`);
	const between = text.slice(one.to, other.from);
	return formatScript(
		text.slice(0, one.from) + ended(text.slice(other.from, other.to)) + between + ended(text.slice(one.from, one.to)) + text.slice(other.to)
	);
}
