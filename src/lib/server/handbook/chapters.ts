/** The chapters of the handbook, in the order they are read; their text is in docs/handbook. */

export interface ChapterHead {
	/** Its file's name, and its address. */
	code: string;
	/** Who it is for. */
	part: 'Everybody' | 'Planners' | 'Reviewers' | 'Administrators' | 'Analysts' | 'Operators';
}

const PARTS: [ChapterHead['part'], string[]][] = [
	['Everybody', ['beginning', 'finding']],
	['Planners', ['filling', 'explaining', 'handing-in', 'what-if']],
	['Reviewers', ['reviewing']],
	['Administrators', ['shaping', 'forms', 'formulas', 'functions', 'runbooks', 'access', 'locking', 'rounds', 'packages']],
	['Analysts', ['loading', 'sharing-out', 'tracing', 'exploring', 'boards', 'journal']],
	['Operators', ['operating']]
];

export const CHAPTERS: readonly ChapterHead[] = PARTS.flatMap(([part, codes]) => codes.map((code) => ({ code, part })));
