import { matchesPattern } from './wildcard';

export interface Indexed<Of> {
	pattern: string;
	of: Of;
}

/**
 * Patterns found without trying each: by their literal beginning (`40*` under "40"), and those that begin with a
 * wildcard by their literal end (`*-DK` under "-DK"). A look-up tries as many keys as there are distinct lengths.
 */
export class PatternIndex<Of> {
	readonly all: readonly Indexed<Of>[];
	readonly #byStart = new Map<string, Indexed<Of>[]>();
	readonly #byEnd = new Map<string, Indexed<Of>[]>();
	readonly #startLengths: number[];
	readonly #endLengths: number[];

	constructor(patterns: readonly Indexed<Of>[]) {
		this.all = patterns.map(({ pattern, of }) => ({ pattern: pattern.trim(), of }));
		for (const each of this.all) {
			const start = /^[^*?]*/.exec(each.pattern)![0];
			const end = start === '' ? /[^*?]*$/.exec(each.pattern)![0] : '';
			const [index, key] = start !== '' || end === '' ? [this.#byStart, start] : [this.#byEnd, end];
			const there = index.get(key);
			if (there) there.push(each);
			else index.set(key, [each]);
		}
		const lengths = (index: Map<string, unknown>) => [...new Set([...index.keys()].map((key) => key.length))];
		this.#startLengths = lengths(this.#byStart);
		this.#endLengths = lengths(this.#byEnd);
	}

	/** The patterns a value matches, in no particular order. */
	matching(value: string): Indexed<Of>[] {
		const found: Indexed<Of>[] = [];
		const take = (candidates: readonly Indexed<Of>[] | undefined) => {
			if (candidates) for (const each of candidates) if (matchesPattern(value, each.pattern)) found.push(each);
		};
		for (const length of this.#startLengths) if (length <= value.length) take(this.#byStart.get(value.slice(0, length)));
		for (const length of this.#endLengths) if (length <= value.length) take(this.#byEnd.get(value.slice(value.length - length)));
		return found;
	}
}
