import type { AccessRules, FormLayout, FormLine, FormSelector, Thresholds, ValueType } from '../../../core';
import type { BranchVersion } from '../../database/branch-series';
import type { ModelEngine } from '../model-engine';
import { readable } from './readable';

/** The form a person looks at: what the engine needs to open it. */
export interface FormAsk {
	person: number;
	rules: AccessRules;
	/** The branch that is worked in; none is the plan itself. */
	branch?: BranchVersion | undefined;
	/** The draft's version in the database; an engine that knows another one reads the draft anew. */
	draftVersion: number;
	layout: FormLayout;
	choices: Record<number, number>;
	currency: string | undefined;
	/** The stored form (id), whose share of the draft is told apart. */
	form?: number;
	window?: FormWindow;
	/** The lines that whoever asks has seen: cells are named by their place among them. */
	seenFrame?: string | undefined;
	/** The least revision, and the least structure version, the answer must contain. */
	revision: number;
	structure: number;
}

/** What a page wants of a form, beyond the whole of it. */
export interface FormWindow {
	/** The lines the page has: they are left out when they are still the same. */
	frame?: string | undefined;
	/** Only the figures of these rows; all when left out. */
	rows?: number[] | undefined;
	/** With no rows named: only the first ones of a form with more cells than this. */
	most?: number | undefined;
	/** Also say which lines are empty. */
	empty?: boolean | undefined;
	/** The moment the page shows: rows that are the same now may be left out. */
	moment?: string | undefined;
}

export interface ColumnLine extends FormLine {
	/** The period's level and the name of the group above (the quarter), for headings. */
	group: string;
	level: string;
	/** The heading where room is scarce: a month without its year, which stands above it. */
	short: string;
	/** Set when the scenario speaks about a part of the period only: "to Sep 2026". */
	cut: string | undefined;
	/** For columns a form computes: from what, in words. */
	computed: string | undefined;
	/** Whether its figures are shares, whatever the row counts. */
	percent: boolean;
	/** Set where accounts stand on the columns: how the column's figures are written, whatever the row. */
	facts: LineFacts | undefined;
}

/** How the figures of an account are written. */
export interface LineFacts {
	valueType: ValueType;
	/** Whether its figures stand for words: see `FormAnswer.words`. */
	coded: boolean;
	/** The account (id) that is read, where the line or the form's slice names one. */
	account: number | null;
	shownDecimals: number;
	unit: string | null;
	/** From where on its figures are to be watched and acted on. */
	thresholds: Thresholds | null;
	formula: string | null;
}

export interface RowLine extends FormLine, LineFacts {}

/** How a check of the form stands, and in which columns it does not hold. */
export interface CheckLine {
	label: string;
	bars: boolean;
	state: 'holds' | 'fails' | 'cannot tell';
	where: { column: string; state: 'holds' | 'fails' | 'cannot tell'; difference: number | null }[];
}

/** The lines of a form and what it offers; empty lists where the page has them already. */
export interface FormFrame {
	/** Names the lines. */
	frame: string;
	rows: RowLine[];
	columns: ColumnLine[];
	selectors: FormSelector[];
	currencies: string[];
	currency: string;
	/** The dimensions (ids) of accounts, periods and scenarios. */
	axes: { accounts: number; periods: number; scenarios: number };
	/** Whether totals are of a part of the model only: what the reader may read. */
	restricted: boolean;
	/** Why there can be no figures: none of the periods is one its scenario speaks about. */
	outside: string | null;
	/** What may be chosen in the accounts of choices among the rows, by account (id). */
	choices: Record<number, { member: number; code: string; name: string }[]>;
	/** How the form's maker wants it shown and filled. */
	defaults: {
		scale: 1 | 1_000 | 1_000_000;
		hideEmptyRows: boolean;
		hideEmptyColumns: boolean;
		spread: 'in proportion' | 'evenly' | 'same value';
		methods: boolean;
		methodsLive: boolean;
		ownLines: boolean;
	};
}

export interface FormAnswer extends FormFrame {
	revision: number;
	/** The structure version the lines belong to: entries name cells by their place among them. */
	structure: number;
	/** Names what the figures are at this moment; pages that show it need the differences only. */
	moment: string;
	/** The rows the figures belong to, in this order; all of them when left out. */
	part?: number[];
	/** Set when the rows left out are as they were at the moment the page named; otherwise they are not known. */
	others?: 'same';
	/** Row by row; null for empty. */
	values: (number | null)[];
	flags: number[];
	/** One letter a cell (MARKS). */
	marks: string;
	/** What coded figures stand for, by cell (row × columns + column). */
	words: [number, string][];
	/** Cells with unsaved entries, totals above such cells, and how many leaf cells the whole draft has. */
	drafted: number[];
	draftedBeneath: number[];
	/** Differences that are good or bad news, by the account. */
	good: number[];
	bad: number[];
	draftSize: number;
	/** How many of these were typed in this form. */
	draftHere: number;
	/**
	 * A runbook (by name) whose results are shown as it would leave them, whether something has been typed or saved since it was
	 * worked out; and the cells that differ by it, totals included.
	 */
	trial: { name: string; isBehind: boolean } | null;
	tried: number[];
	/** Cells that were changed in the branch, totals above them included. */
	branched: number[];
	checks: CheckLine[];
	/** Lines without a figure, when asked for. */
	empty?: { rows: number[]; columns: number[] };
}

/** A form as its reader sees it. */
export const form = async (engine: ModelEngine, ask: FormAsk): Promise<FormAnswer> => (await engine.openForm(ask)).answer();

/** The cells of a form at which some figures (places) stand. */
export async function locate(engine: ModelEngine, ask: FormAsk & { places: number[][] }): Promise<{ cells: number[][] }> {
	const { form } = await engine.openForm(ask);
	const { readable: mayRead } = await readable(engine, ask);
	return { cells: form.cellsAt(ask.places).map((cells, index) => (mayRead[index] ? cells : [])) };
}
