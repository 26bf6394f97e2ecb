/** Which chapter of the handbook a page is told of in: the longest beginning of its route counts. */
const CHAPTER_OF: Readonly<Record<string, string>> = {
	'/desk': 'beginning',
	'/handbook': 'beginning',
	'/account': 'beginning#your-account',
	'/forms': 'filling',
	'/forms/new': 'forms',
	'/forms/[code]/design': 'forms',
	'/structure': 'shaping',
	'/data-in': 'loading',
	'/rules': 'runbooks',
	'/access': 'access',
	'/access/locks': 'locking',
	'/cycle': 'handing-in',
	'/cycle/new': 'rounds',
	'/cycle/[round]/define': 'rounds',
	'/branches': 'what-if',
	'/insight': 'boards',
	'/insight/explore': 'exploring',
	'/insight/why': 'exploring#why-a-figure-differs',
	'/insight/journal': 'journal',
	'/trace': 'tracing'
};

/** @param route a page's route, as `/m/[model]/(app)/forms/[code]` @returns chapter, and heading where there is one */
export function chapterOf(route: string | null): string {
	const path = (route ?? '').replace(/^\/m\/\[model\]\/\(app\)/, '');
	const found = Object.keys(CHAPTER_OF)
		.filter((begin) => path === begin || path.startsWith(`${begin}/`))
		.sort((one, other) => other.length - one.length)[0];
	return found === undefined ? 'beginning' : CHAPTER_OF[found]!;
}
