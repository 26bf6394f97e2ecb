const MOST_LETTERS = 76;

/**
 * A short name for each name, different from the others: lower case, words joined, a number behind where needed.
 * @param otherwise for names of which nothing is left
 * @param kept which letters stay: those of files, or those of any script
 */
export function shortNames(names: readonly string[], otherwise: string, kept: 'of files' | 'of any script'): string[] {
	const others = kept === 'of files' ? /[^a-z0-9]+/g : /[^\p{L}\p{N}]+/gu;
	const taken = new Set<string>();
	return names.map((name) => {
		const base =
			name
				.normalize('NFD')
				.replaceAll(/\p{M}/gu, '')
				.toLowerCase()
				.replaceAll(others, '-')
				.replaceAll(/^-|-$/g, '')
				.slice(0, MOST_LETTERS) || otherwise;
		let short = base;
		for (let number = 2; taken.has(short); number++) short = `${base}-${number}`;
		taken.add(short);
		return short;
	});
}
