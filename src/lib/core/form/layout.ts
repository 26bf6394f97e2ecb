import type { Selection } from '../dimension';

/** One or several dimensions nested on an axis; later parts vary fastest. */
export interface AxisBlock {
	parts: { dimension: number; selection: Selection }[];
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
	pinned: { dimension: number; member: number }[];
	/** Currencies the reader may look in, first one first; `local` for the entities' own. */
	currencies: string[];
}
