/** Words of the language: never the bare name of a member. */
export const RESERVED = new Set(
	(
		'within end let when then else and or not is in over everywhere to children leaves under of level where except parent total ' +
		'value abs round min max floor ceil sum avg count first last share days empty coalesce previous todate date'
	).split(' ')
);

/** A word as it is written: bare where the language allows, in double quotes otherwise. */
export const quoted = (word: string): string =>
	/^[\p{L}_][\p{L}\p{N}_]*$/u.test(word) && !RESERVED.has(word) ? word : `"${word.replaceAll('"', '""')}"`;

/** A quoted or bare word as it was meant. */
export const unquoted = (text: string): string => (text.startsWith('"') ? text.slice(1, -1).replaceAll('""', '"') : text);
