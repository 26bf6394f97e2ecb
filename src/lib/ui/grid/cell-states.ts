import type { CellGlyph } from './glyphs';
import type { MarkName } from './mark-choice';

/** A state of a figure as the legend shows it: by the classes that the grid gives its cells. */
export interface CellState {
	classes: string;
	sample: string;
	meaning: string;
	glyph?: CellGlyph;
	/** Of marks one may do without: which. */
	mark?: MarkName;
}

/** Every state there is, in the order of the legend; how they look is said in `cell-states.css`. */
export const CELL_STATES: readonly CellState[] = [
	{ classes: 'enter', sample: '1,250', meaning: 'you may type here' },
	{ classes: 'spread', sample: '8,400', meaning: 'a total you may spread from' },
	{ classes: 'computed', sample: '3,120', meaning: 'computed, or not yours to type' },
	{ classes: 'closed', sample: '2,050', meaning: 'closed by a lock or outside the months of entry' },
	{ classes: 'held', sample: '2,050', meaning: 'held: only who is named may type' },
	{ classes: 'enter drafted', sample: '1,300', meaning: 'in your draft, not saved yet' },
	{ classes: 'spread drafted-beneath', sample: '9,700', meaning: 'a total with unsaved entries beneath' },
	{ classes: 'enter tried', sample: '2,310', meaning: 'as it would be after the run you try' },
	{ classes: 'enter branched', sample: '1,480', meaning: 'changed in this branch, or a total above such' },
	{ classes: 'enter refused', sample: '990', meaning: 'refused; the reason shows on the cell' },
	{ classes: 'enter kept', sample: '1,900', meaning: 'kept fixed: spreads leave it as it is' },
	{ classes: 'computed good', sample: '140', meaning: 'a difference that is good news', mark: 'news' },
	{ classes: 'computed bad', sample: '-140', meaning: 'a difference that is bad news', mark: 'news' },
	{ classes: 'enter', sample: '≈ 4,410', meaning: 'a rate or a weight is missing beneath' },
	{ classes: 'computed', sample: '71.0%', meaning: 'fine, by the limits of its account', glyph: 'fine', mark: 'levels' },
	{ classes: 'computed', sample: '58.0%', meaning: 'to be watched', glyph: 'watch', mark: 'levels' },
	{ classes: 'computed stands-act', sample: '41.0%', meaning: 'asks for action', glyph: 'act', mark: 'levels' },
	{ classes: 'enter', sample: '560', meaning: 'typed over a figure that is another one since', glyph: 'moved', mark: 'moved' },
	{ classes: 'enter', sample: '560', meaning: 'a note', glyph: 'note', mark: 'notes' },
	{ classes: 'enter', sample: '560', meaning: 'detail lines behind it', glyph: 'lines', mark: 'lines' },
	{ classes: 'enter', sample: '560', meaning: 'links or files', glyph: 'link', mark: 'links' },
	{ classes: 'enter', sample: '560', meaning: 'the result of a runbook', glyph: 'result', mark: 'results' },
	{ classes: 'enter', sample: '560', meaning: 'a result whose runbook should be run again', glyph: 'stale', mark: 'results' }
];
