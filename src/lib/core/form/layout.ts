import type { PeriodLevel } from '../calendar';
import { selectionInWords, type MemberReference, type Selection } from '../dimension';
import type { SpreadMethod } from '../entry';
import type { Expression } from '../formula';

/** Which figures of a block stand out, and how. A figure is compared as it is stored, a percent as a fraction. */
export interface Emphasis {
	when: 'above' | 'below';
	value: number;
	look: 'strong' | 'good' | 'bad' | 'quiet';
}

/** What all lines of a block share. */
interface BlockLook {
	/** Names the block within its axis: computed blocks say what they are made of by it. */
	id: number;
	/** Heading over its lines; of rows the line's own name where there is only one. */
	heading?: string;
	/** An earlier block (id) with as many lines: its lines stand beside those one by one. */
	beside?: number;
	emphasis?: Emphasis[];
	/** Decimals shown, where they are not to be the account's. */
	decimals?: number;
	/** Width of its columns in pixels. */
	width?: number;
}

/** How the money of a block is read: in a currency (ISO code or `local`), at the rates of a set (id). */
export interface Reading {
	currency?: string;
	rateSet?: number;
}

/** Lines read from the model: one or several dimensions nested; later parts vary fastest. */
export interface CellBlock extends BlockLook {
	kind: 'cells';
	parts: { dimension: number; selection: Selection }[];
	/** Periods of this block run from the start of this level: to date. */
	toDate?: PeriodLevel;
	/** What its line is called, where it is only one. */
	called?: string;
	/** Whether totals stand after what they add up; before it when left out. */
	totalsAfter?: boolean;
	/** Shown, never typed into. */
	readOnly?: boolean;
	names?: 'name' | 'code' | 'both';
	/** Read in a currency, or at rates, of its own; where nothing is said, as the reader chose. */
	reading?: Reading;
	/** Not indented by the tree. */
	flat?: boolean;
	/** How many levels of the tree stand open at first; two when left out. */
	openLevels?: number;
	sort?: 'tree' | 'name' | 'code';
	/** A word of advice beside a row, by the member (id) of its last part. */
	guidance?: Record<string, string>;
}

/** How a line is computed from others: two blocks compared line by line (one of a single line serves all), or an expression. */
export type Derivation =
	| { how: 'difference' | '% difference' | 'share'; of: number; base: number }
	/** The lines of another block, each run up since the start of a level. */
	| { how: 'to date'; of: number; since: PeriodLevel }
	/** Reads blocks by id, as `member`. */
	| { how: 'expression'; expression: Expression; percent?: boolean };

/** Lines the form computes. */
export interface DerivedBlock extends BlockLook {
	kind: 'derived';
	label: string;
	derivation: Derivation;
}

/** A heading or a thin empty line between others. */
export interface TextBlock extends BlockLook {
	kind: 'text';
	label: string;
}

export type AxisBlock = CellBlock | DerivedBlock | TextBlock;

export interface SelectorPart {
	dimension: number;
	/** What the reader may choose from. */
	selection: Selection;
	/** The member (id) chosen when nothing else is known. */
	initial: number;
	/** The variable whose member is chosen at first instead, while it names one. */
	initialVariable?: string;
	/** Nothing is shown until the reader has chosen. */
	asks?: boolean;
}

/** An equation between accounts that must hold in every period shown, at the slice of the form. */
export interface FormCheck {
	label: string;
	/** Both sides read accounts (ids) at the current cell. */
	left: Expression;
	compare: '=' | '<=' | '>=';
	right: Expression;
	/** Whether a submission is barred while it fails; otherwise it warns. */
	bars: boolean;
}

/**
 * A runbook run from a form: by a button, or by itself. What it asks for is what the form shows (a member of a dimension
 * that is chosen or pinned there); the rest is asked, or as it was answered last.
 */
export interface FormRun {
	runbook: number;
	/** On the button; the runbook's name when empty. */
	label: string;
	when: 'button' | 'before opening' | 'after saving';
}

/** A form's layout, as stored. */
export interface FormLayout {
	version: 2;
	rows: AxisBlock[];
	columns: AxisBlock[];
	selectors: SelectorPart[];
	pinned: { dimension: number; member: number }[];
	/** Currencies the reader may look in, first one first; `local` for the entities' own. */
	currencies: string[];
	/** Figures are shown and typed in this unit at first; 1 when left out. */
	scale?: 1 | 1_000 | 1_000_000;
	hideEmptyRows?: boolean;
	hideEmptyColumns?: boolean;
	/** How an entry at a parent reaches its leaves at first. */
	spread?: Exclude<SpreadMethod, 'like another'>;
	checks?: FormCheck[];
	/** Under which member of which dimension planners may add lines of their own. */
	ownLines?: { dimension: number; parent: MemberReference };
	/** Whether planners may fill rows by a method. */
	methods?: boolean;
	/** Whether a row whose method gives something else now is filled again in the draft of who opens the form. */
	methodsLive?: boolean;
	/** Runbooks that are run from the form. */
	runs?: FormRun[];
}

/** The first version of stored layouts: computed columns stood in a list of their own, after the others. */
export interface FormLayout1 {
	version: 1;
	rows: { parts: CellBlock['parts']; toDate?: PeriodLevel | undefined }[];
	columns: { parts: CellBlock['parts']; toDate?: PeriodLevel | undefined }[];
	selectors: SelectorPart[];
	derived?: { kind: 'difference' | '% difference' | 'share'; label: string; of: number; base: number }[] | undefined;
	pinned: { dimension: number; member: number }[];
	currencies: string[];
}

/** A layout of the first version as one of today. */
export function upgradeLayout({ rows, columns, derived = [], selectors, pinned, currencies }: FormLayout1): FormLayout {
	const cells = ({ parts, toDate }: FormLayout1['rows'][number], id: number): CellBlock => ({
		kind: 'cells',
		id,
		parts,
		...(toDate && { toDate })
	});
	return {
		version: 2,
		rows: rows.map(cells),
		columns: [
			...columns.map(cells),
			...derived.map(({ kind, label, of, base }, index): DerivedBlock => ({
				kind: 'derived',
				id: columns.length + index,
				label,
				derivation: { how: kind, of, base }
			}))
		],
		selectors,
		pinned,
		currencies
	};
}

/** The blocks of both axes that read cells. */
export const cellBlocks = (layout: Pick<FormLayout, 'rows' | 'columns'>): CellBlock[] =>
	[...layout.rows, ...layout.columns].filter((block) => block.kind === 'cells');

/** What the blocks of an axis are called in expressions and lists: their heading or label, else their place. */
export function blockLabels(blocks: readonly AxisBlock[], names: ReadonlyMap<number, string> = new Map()): { id: number; label: string }[] {
	const taken = new Set<string>();
	return blocks.map((block, index) => {
		const told = block.kind === 'cells' ? block.called || block.heading || inWords(block, names) : block.label;
		// Two that would be called alike are told apart by their place.
		const label = !told ? `Block ${index + 1}` : taken.has(told) ? `${told} (${index + 1})` : told;
		taken.add(label);
		return { id: block.id, label: label.slice(0, 190) };
	});
}

/** What a block takes, where all its members are known by name. */
function inWords({ parts }: CellBlock, names: ReadonlyMap<number, string>): string {
	if (names.size === 0) return '';
	return parts.map(({ selection }) => selectionInWords(selection, names)).join(', ');
}
