import type { SyntaxNode } from '@lezer/common';
import { RESERVED } from './names';
import type { ScriptFault } from './tree';

/** Brackets and conditions inside each other. */
export const DEEPEST = 400;

/**
 * The first place that the grammar could not read, in words; undefined when it read all of it.
 * @param deepest brackets and conditions inside each other that are looked at
 */
export function syntaxFault(text: string, top: SyntaxNode, deepest = DEEPEST): ScriptFault | undefined {
	const cursor = top.cursor();
	let depth = 0;
	for (;;) {
		if (cursor.type.isError) return faultAt(text, cursor.node);
		if (cursor.firstChild()) {
			if (++depth > deepest * 3)
				return { from: cursor.from, to: cursor.to, message: 'Too many brackets stand inside each other here. Use let to name a part.' };
			continue;
		}
		while (!cursor.nextSibling()) {
			if (!cursor.parent()) return undefined;
			depth--;
		}
	}
}

function faultAt(text: string, node: SyntaxNode): ScriptFault {
	const from = node.from;
	const rest = text.slice(from);
	const found = /^\s*("[^"\n]*"?|'[^'\n]*'?|[\p{L}_$][\p{L}\p{N}_]*|[\d._]+%?|\S)/u.exec(rest)?.[1];
	const at = found ? from + rest.indexOf(found) : from;
	const before = text.slice(0, from).trimEnd();
	if (found === undefined)
		return {
			from: Math.max(0, before.length - 1),
			to: before.length,
			message:
				/\bwithin\b/.test(before) && !/\bend\s*$/.test(before)
					? 'The script ends where more was expected: a value, or the end of a within.'
					: 'The script ends where more was expected.'
		};
	const what = RESERVED.has(found) ? `the word “${found}”` : `“${found.length > 40 ? `${found.slice(0, 40)}…` : found}”`;
	if (found.startsWith("'") && !found.endsWith("'"))
		return { from: at, to: at + found.length, message: 'This text has no end: a ’ is missing.' };
	if (found.startsWith('"') && (found.length < 2 || !found.endsWith('"')))
		return { from: at, to: at + found.length, message: 'This name has no end: a " is missing.' };
	const expected = /[-+*/^(,=]\s*$/.test(before)
		? 'a value was expected here'
		: /\bof\s*$|\bin\s*$|\bwithin\s*$|:\s*$/.test(before)
			? 'a member was expected here'
			: 'this cannot stand here. Is an operator missing before it, or a bracket after what stands before?';
	return { from: at, to: at + found.length, message: `Found ${what}: ${expected}${expected.endsWith('?') ? '' : '.'}` };
}
