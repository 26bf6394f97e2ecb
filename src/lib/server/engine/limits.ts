/** A whole number of an environment variable; what is not one is left at its usual value. */
function setting(name: string, usual: number, least: number): number {
	const given = Number(process.env[name] ?? usual);
	return Number.isInteger(given) && given >= least ? given : usual;
}

/** What an engine keeps ready; the rest is made or read again when it is asked for. What was unused for longest goes first. */
export const LIMITS = {
	/** Open forms of all people. */
	forms: setting('ENGINE_FORMS', 60, 1),
	/** People's drafts. */
	drafts: setting('ENGINE_DRAFTS', 300, 1),
	/** Branches that are worked in. */
	branches: setting('ENGINE_BRANCHES', 40, 1),
	/** Sets of grants and locks. */
	rules: 200,
	/** Texts that cells hold. */
	texts: setting('ENGINE_TEXTS', 100_000, 1_000)
};
