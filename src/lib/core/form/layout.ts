import type { PeriodLevel } from '../calendar';
import type { Selection } from '../dimension';

/** One or several dimensions nested on an axis; later parts vary fastest. */
export interface AxisBlock {
	parts: { dimension: number; selection: Selection }[];
	/** Periods of this block run from the start of this level: to date. */
	toDate?: PeriodLevel;
}

/** Columns computed from two blocks of columns, line by line; a block of one line serves every line of the other. */
export interface DerivedPart {
	kind: 'difference' | '% difference' | 'share';
	label: string;
	/** Places of the blocks among the columns. */
	of: number;
	base: number;
}

export interface SelectorPart {
	dimension: number;
	/** What the reader may choose from. */
	selection: Selection;
	/** The member chosen when nothing else is known. */
	initial: number;
}

/** A form's layout, as stored. */
export interface FormLayout {
	version: 1;
	rows: AxisBlock[];
	columns: AxisBlock[];
	selectors: SelectorPart[];
	/** Computed columns, after the others. */
	derived?: DerivedPart[];
	pinned: { dimension: number; member: number }[];
	/** Currencies the reader may look in, first one first; `local` for the entities' own. */
	currencies: string[];
}
