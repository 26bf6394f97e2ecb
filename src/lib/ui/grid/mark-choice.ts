import type { MarkChoice } from '$lib/server/session';

/** A mark one may do without. What is closed, unsaved, refused or incomplete always shows. */
export type MarkName = MarkChoice['hidden'][number];

export const MARKS_TO_CHOOSE: Readonly<Record<MarkName, string>> = {
	news: 'differences that are good or bad news',
	levels: 'fine, to be watched, asks for action',
	moved: 'typed over a figure that is another one since',
	notes: 'notes',
	lines: 'detail lines',
	links: 'links and files',
	results: 'results of runbooks, and those out of date'
};

/** Three ways in which states and marks are drawn. */
export const MARK_SETS: Readonly<Record<MarkChoice['set'], string>> = {
	usual: 'Usual',
	'colour-blind': 'Blue and orange, with shapes',
	contrast: 'High contrast'
};
