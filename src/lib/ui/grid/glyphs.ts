/** The small shapes at a cell's right corner; the padlock of closed cells is part of their ground. */
export const GLYPHS = {
	note: '<circle cx="5.5" cy="4.5" r="3" fill="currentColor"/>',
	moved: '<path d="M5.5 1.2 9.3 8H1.7z" fill="none" stroke="currentColor" stroke-width="1.3"/>',
	act: '<path d="M5 .8 9.2 5 5 9.2.8 5z" fill="currentColor"/>',
	watch: '<path d="M1.5 3.5h7L5 9z" fill="none" stroke="currentColor" stroke-width="1.4"/>',
	fine: '<path d="M1.5 5.2 4 7.8 8.6 2.2" fill="none" stroke="currentColor" stroke-width="1.5"/>',
	lines: '<path d="M2 2.5h7M4 5h5M6 7.5h3" stroke="currentColor" stroke-width="1.4"/>',
	link: '<path d="M4 2h4.5v4.5M8.5 2 3 7.5" fill="none" stroke="currentColor" stroke-width="1.3"/>'
} as const;

export type CellGlyph = keyof typeof GLYPHS;

/** A glyph as SVG text; what it means stands beside it in words. */
export const glyphSvg = (name: CellGlyph): string =>
	`<svg class="glyph ${name}" viewBox="0 0 10 10" aria-hidden="true">${GLYPHS[name]}</svg>`;
