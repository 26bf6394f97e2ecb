/**
 * Whether a value matches a pattern of `*` (any characters) and `?` (one), from end to end.
 * Greedy with one step back: O(value × stars) at worst and without a regular expression, so that no pattern a person
 * writes can make a load hang.
 */
export function matchesPattern(value: string, pattern: string): boolean {
	let at = 0;
	let inPattern = 0;
	let star = -1;
	let afterStar = 0;
	while (at < value.length) {
		const mark = pattern[inPattern];
		if (mark === '*') {
			star = inPattern++;
			afterStar = at;
		} else if (mark !== undefined && (mark === '?' || mark === value[at])) {
			at++;
			inPattern++;
		} else if (star >= 0) {
			inPattern = star + 1;
			at = ++afterStar;
		} else return false;
	}
	while (pattern[inPattern] === '*') inPattern++;
	return inPattern === pattern.length;
}

/** What the only `*` of a pattern stands for in a value that matches it; undefined where it has none, or several. */
export function partMatched(value: string, pattern: string): string | undefined {
	const [before, after, ...more] = pattern.trim().split('*');
	if (before === undefined || after === undefined || more.length > 0) return undefined;
	return value.slice(before.length, value.length - after.length);
}
