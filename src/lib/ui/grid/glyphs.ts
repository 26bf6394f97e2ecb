/** A small shape in a square of 10: a path that is filled, or a line of some width. */
export interface Glyph {
	path: string;
	/** Width of the line; none where the path is filled. */
	line?: number;
}

/** The small shapes at a cell's right corner; the padlock of closed cells is part of their ground. */
export const GLYPHS = {
	note: { path: 'M2.5 4.5a3 3 0 1 0 6 0a3 3 0 1 0-6 0' },
	moved: { path: 'M5.5 1.2 9.3 8H1.7z', line: 1.3 },
	act: { path: 'M5 .8 9.2 5 5 9.2.8 5z' },
	watch: { path: 'M1.5 3.5h7L5 9z', line: 1.4 },
	fine: { path: 'M1.5 5.2 4 7.8 8.6 2.2', line: 1.5 },
	result: { path: 'M2 2h6v6H2z', line: 1.2 },
	stale: { path: 'M5 1.2a3.8 3.8 0 1 0 .01 0M5 2.8V5l1.9 1.3', line: 1.2 },
	lines: { path: 'M2 2.5h7M4 5h5M6 7.5h3', line: 1.4 },
	link: { path: 'M4 2h4.5v4.5M8.5 2 3 7.5', line: 1.3 }
} as const satisfies Record<string, Glyph>;

export type CellGlyph = keyof typeof GLYPHS;

/** What the path of a glyph is drawn with. */
export const paintOf = (glyph: Glyph) =>
	glyph.line === undefined
		? { d: glyph.path, fill: 'currentColor', stroke: 'none', 'stroke-width': '0' }
		: { d: glyph.path, fill: 'none', stroke: 'currentColor', 'stroke-width': String(glyph.line) };
