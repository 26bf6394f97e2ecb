/** Detecting how a delimited text is written: what it looks like, for a person to correct. */

export const ENCODINGS = ['utf-8', 'utf-16le', 'utf-16be', 'windows-1252', 'iso-8859-1'] as const;
export type Encoding = (typeof ENCODINGS)[number];

export const DELIMITERS = [';', ',', '\t', '|'] as const;

/**
 * The encoding of a file by its first bytes: a mark at the start, zero bytes at every second place (UTF-16), else UTF-8
 * when it is valid UTF-8, else Windows-1252, of which Latin-1 is the part without signs in 0x80–0x9F.
 * @param cut whether the file goes on, so that the last character may be incomplete
 */
export function detectEncoding(bytes: Uint8Array, cut: boolean): Encoding {
	if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
	if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
	let zerosEven = 0;
	let zerosOdd = 0;
	const looked = Math.min(bytes.length, 4_096);
	for (let at = 0; at < looked; at++)
		if (bytes[at] === 0) {
			if (at % 2 === 0) zerosEven++;
			else zerosOdd++;
		}
	if (zerosOdd > looked / 8 && zerosEven === 0) return 'utf-16le';
	if (zerosEven > looked / 8 && zerosOdd === 0) return 'utf-16be';
	if (isUtf8(bytes, cut)) return 'utf-8';
	return bytes.some((byte) => byte >= 0x80 && byte < 0xa0) ? 'windows-1252' : 'iso-8859-1';
}

/** Source: RFC 3629, the table of well-formed sequences, without the check for overlong forms of three and four bytes. */
function isUtf8(bytes: Uint8Array, cut: boolean): boolean {
	for (let at = 0; at < bytes.length;) {
		const first = bytes[at]!;
		const follow =
			first < 0x80 ? 0 : first >= 0xc2 && first < 0xe0 ? 1 : first >= 0xe0 && first < 0xf0 ? 2 : first >= 0xf0 && first < 0xf5 ? 3 : -1;
		if (follow < 0) return false;
		for (let next = 1; next <= follow; next++) {
			if (at + next >= bytes.length) return cut;
			if ((bytes[at + next]! & 0xc0) !== 0x80) return false;
		}
		at += follow + 1;
	}
	return true;
}

/**
 * The delimiter of a text: the one that cuts the most of its first lines into the same number of fields, and of these
 * the one that gives more fields. Fields in quotation marks are not cut.
 */
export function detectDelimiter(text: string, quote = '"'): (typeof DELIMITERS)[number] {
	const lines = linesOf(text, quote).slice(0, 50);
	let best: (typeof DELIMITERS)[number] = ';';
	let bestScore = 0;
	for (const delimiter of DELIMITERS) {
		const counts = new Map<number, number>();
		for (const line of lines) {
			const fields = countOutside(line, delimiter, quote) + 1;
			counts.set(fields, (counts.get(fields) ?? 0) + 1);
		}
		for (const [fields, same] of counts) {
			if (fields < 2) continue;
			const score = (same / lines.length) * (1 + Math.log2(fields) / 8);
			if (score > bestScore) [best, bestScore] = [delimiter, score];
		}
	}
	return best;
}

/** The quotation mark: an apostrophe only where fields begin and end with it and none with the usual one. */
export function detectQuote(text: string): '"' | "'" {
	const count = (mark: string) =>
		(text.match(new RegExp(`(^|[;,\\t|\\n])${mark}[^${mark}\\n]*${mark}(?=[;,\\t|\\r\\n]|$)`, 'g')) ?? []).length;
	return count('"') === 0 && count("'") > 1 ? "'" : '"';
}

/**
 * How many rows stand above the first row of data, the last of them the headings: rows with fewer fields than the rest
 * (titles), then one whose fields are all distinct texts with no digits leading. 0 when data begins at once.
 */
export function detectHeaderRows(rows: readonly (readonly string[])[]): number {
	const filled = (row: readonly string[]) => row.filter((field) => field.trim() !== '').length;
	const most = Math.max(0, ...rows.slice(0, 30).map(filled));
	const first = rows.findIndex((row) => filled(row) >= Math.max(1, most * 0.6));
	if (first < 0) return 0;
	const headings = rows[first]!.map((field) => field.trim());
	const isHeading = headings.every((field) => field === '' || !/^[-+(]?[\d.,]+[-)]?$/.test(field) || /^(19|20)\d{2}(\d{2})?$/.test(field));
	const named = headings.filter((field) => field !== '');
	return isHeading && new Set(named).size === named.length ? first + 1 : first;
}

function linesOf(text: string, quote: string): string[] {
	const lines: string[] = [];
	let start = 0;
	let quoted = false;
	for (let at = 0; at < text.length && lines.length < 60; at++) {
		if (text[at] === quote) quoted = !quoted;
		else if (text[at] === '\n' && !quoted) {
			lines.push(text.slice(start, at));
			start = at + 1;
		}
	}
	if (lines.length === 0) lines.push(text);
	return lines.filter((line) => line.trim() !== '');
}

function countOutside(line: string, mark: string, quote: string): number {
	let quoted = false;
	let count = 0;
	for (const character of line) {
		if (character === quote) quoted = !quoted;
		else if (character === mark && !quoted) count++;
	}
	return count;
}
