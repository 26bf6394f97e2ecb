import { TreeFragment, type Tree } from '@lezer/common';
import { parser } from './parser.generated';

/** Shorter texts are read anew: finding what stayed the same would cost as much. */
const WORTH_IT = 2_000;

/** The text read last. While one types, most of the next one is the same. */
let last: { text: string; tree: Tree } | undefined;

/**
 * The tree of a script. What stands before and behind the place where it differs from the text read last is taken from
 * there. O(text), of which reading is the smaller part.
 */
export function parseScript(text: string): Tree {
	if (text.length < WORTH_IT) return parser.parse(text);
	let tree = last && parser.parse(text, unchanged(last, text));
	// Around what cannot be read the tree depends on where reading began: such a text is read as a whole.
	if (!tree || isBroken(tree)) tree = parser.parse(text);
	last = { text, tree };
	return tree;
}

function isBroken(tree: Tree): boolean {
	const cursor = tree.cursor();
	do if (cursor.type.isError) return true;
	while (cursor.next());
	return false;
}

/** The parts of a tree that still hold for another text. */
function unchanged({ text, tree }: { text: string; tree: Tree }, next: string): readonly TreeFragment[] {
	const least = Math.min(text.length, next.length);
	let from = 0;
	while (from < least && text.charCodeAt(from) === next.charCodeAt(from)) from++;
	let same = 0;
	while (same < least - from && text.charCodeAt(text.length - 1 - same) === next.charCodeAt(next.length - 1 - same)) same++;
	const whole = TreeFragment.addTree(tree);
	return from === text.length && from === next.length
		? whole
		: TreeFragment.applyChanges(whole, [{ fromA: from, toA: text.length - same, fromB: from, toB: next.length - same }]);
}
