import type {
	RateSetDefinition,
	AccountDefinition,
	BalanceRoleDefinition,
	Thresholds,
	Answers,
	Clears,
	DateOrder,
	Finding,
	MembersNamed,
	OriginDefinition,
	ResultOrigin,
	NameUse,
	ParameterDefinition,
	ScriptFault,
	Slice,
	Step,
	StepLog,
	StoredScript,
	NodeDefinition,
	AccessRules,
	FormLayout,
	FormLine,
	FormSelector,
	Method,
	NumberStyle,
	Selection,
	SpreadMethod,
	ValueType
} from '../../core';

/** The form a person looks at: what the engine needs to open it. */
export interface FormAsk {
	person: number;
	rules: AccessRules;
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

/** What a grid cell is to the reader; one letter each in `FormAnswer.marks`. */
export const MARKS = { enter: 'e', spread: 's', computed: 'c', closed: 'x', refused: 'r' } as const;

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
	where: { column: string; state: 'holds' | 'fails' | 'cannot tell'; difference: number }[];
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
	checks: CheckLine[];
	/** Lines without a figure, when asked for. */
	empty?: { rows: number[]; columns: number[] };
}

export interface EntryAsk {
	row: number;
	column: number;
	text: string;
	/** An empty text shall show as nothing, whatever was loaded there. */
	empties?: boolean | undefined;
}

/** How entries are read and reach the leaves. */
export interface EntryOptions {
	method: SpreadMethod;
	/** For `like another`: the members that differ in the figure whose proportions are taken, by dimension id. */
	like?: Record<number, number> | undefined;
	/** Cells of the form whose leaves keep their values. */
	kept?: { row: number; column: number }[] | undefined;
	overAll?: boolean | undefined;
	confirmed?: boolean | undefined;
	/** What plain numbers count in. */
	scale?: number | undefined;
}

/** A draft cell before and after an entry; ids. A value, `cleared`, or null for "not in the draft". */
export interface DraftChange {
	address: number[];
	period: number;
	before: DraftValue;
	after: DraftValue;
	/** What stood in the cell without the draft; null for empty. */
	seen: number | null;
}
export type DraftValue = number | 'cleared' | 'nothing' | null;

export interface EnterAnswer {
	form: FormAnswer;
	changes: DraftChange[];
	faults: { row: number; column: number; message: string; code: string }[];
	warnings: string[];
}

export interface Inspection {
	value: number | null;
	address: { dimension: string; member: string; path: string[] }[];
	/** Names the figure: members (ids) in address order, the period last; empty for figures the form computes. */
	place: number[];
	leaf: boolean;
	verdict: { kind: string; reason: string };
	/** In the reader's terms: what the figure consists of. */
	madeOf: { name: string; mode: string; value: number | null; cells: number; setAside: boolean }[];
	formula: string | null;
	/** What the formula comes to where a figure stands above its result; null where none does. */
	result: number | null;
	notes: string[];
	/** For the history: leaf member ids per dimension beneath the cell, and leaf periods. */
	beneath: { members: number[][]; periods: number[]; year: number | undefined };
	/** The currency a leaf's amounts are stored in; null where there is none. */
	storedIn: string | null;
	/** The currency the reader looks in. */
	currency: string;
}

export interface Conflict {
	address: number[];
	period: number;
	words: string;
	seen: number | null;
	now: number | null;
	mine: DraftValue;
}

interface CellReference {
	address: number[];
	period: number;
}

/** How the person decided conflicts, cell by cell. */
export interface ConflictDecisions {
	keepMine: CellReference[];
	takeTheirs: CellReference[];
}

export interface SavePlan {
	conflicts: Conflict[];
	refused: { words: string; reason: string }[];
	cells: number;
	/** Whole series of the entry's origin, ids; amounts with null for empty. */
	series: { origin: number; members: number[]; year: number; before: Float64Array; amounts: Float64Array }[];
	entries: { origin: number; address: number[]; period: number; before: number; after: number; beneath: number }[];
}

/** A dimension's nodes and accounts as they would be, to see what that does to figures. */
export interface EffectAsk {
	revision: number;
	structure: number;
	/** The dimension that would be another one; null where only rates would be. */
	dimension: number | null;
	/** Members it would have besides; their ids are none of a stored member. */
	added?: { id: number; code: string; name: string }[];
	nodes: NodeDefinition[];
	accounts: AccountDefinition[];
	/** Of a general dimension: what its members would say of balances. */
	balanceRoles: BalanceRoleDefinition[] | undefined;
	/** A rate set as it would be. */
	rateSet?: RateSetDefinition;
	/** Members (ids) that would change. */
	changed: number[];
}

/** A figure before and after. */
export interface EffectLine {
	account: string;
	/** Of the dimension that changes, where it is another than the accounts: the total looked at. */
	member?: string;
	scenario: string;
	period: string;
	before: number | null;
	after: number | null;
}

/** A selection to be looked at, for what a reader would have chosen. */
export interface SelectAsk {
	dimension: number;
	selection: Selection;
	chosen: number | undefined;
	structure: number;
}

export interface TreeMember {
	id: number;
	code: string;
	name: string;
	depth: number;
	parent: boolean;
}

/** The members a selection gives today: how many, and the first ones. */
export interface SelectedMembers {
	count: number;
	members: TreeMember[];
}

/** What a method gives for a row: a value for each column it may fill. */
export interface MethodAnswer {
	/** `period` is the member's id; `quarter` a place among the quarters. */
	columns: { column: number; period: number; label: string; quarter: number; now: number | null; value: number | null }[];
	/** Names of the quarters the columns lie in. */
	quarters: string[];
	/** In which the row is read and its rates and amounts are taken; empty where nothing can be worked out. */
	currency: string;
	/** Why nothing can be worked out; empty when it can. */
	reason: string;
}

/** What a run of a runbook would write. */
export interface RunPlan {
	/** The revision it was computed at. */
	revision: number;
	/** Answers that are missing or make no sense, by parameter; nothing was computed then. */
	faults: { parameter: string; message: string }[];
	/** Whole series by origin, ids; left out of a preview. */
	series: {
		origin: number;
		members: number[];
		year: number;
		before: Float64Array;
		amounts: Float64Array;
		stampsBefore: Float64Array;
		stamps: Float64Array;
	}[];
	/** By the origin of each step: the origins of results it read. */
	reads: [number, number[]][];
	/** Whether it would write more than can be kept at once. */
	isTooLarge: boolean;
	/** Cells whose figure changes. */
	cells: number;
	log: StepLog[];
	totals: RunTotal[];
	samples: { words: string; before: number | null; after: number | null }[];
	/** What would show at each cell whose figure changes, ids; where that was asked for. Null: nothing. */
	figures?: TrialFigure[];
}

/** An account's amounts over the cells a run changes; null for what does not add up. In one currency. */
export interface RunTotal {
	account: string;
	before: number | null;
	after: number | null;
	currency: string | null;
	incomplete: boolean;
	cells: number;
}

/** What a run would leave at a cell; ids. */
export interface TrialFigure {
	address: number[];
	period: number;
	value: number | null;
}

export interface ScriptCheck {
	faults: ScriptFault[];
	names: NameUse[];
}

/** What may be named in a script, to be offered while one types. */
export interface Vocabulary {
	dimensions: {
		id: number;
		name: string;
		kind: string;
		members: { id: number; code: string; name: string; written: string; leaf: boolean }[];
	}[];
	levels: string[];
	variables: { name: string; dimension: number | null }[];
	attributes: { name: string; dimension: number }[];
}

/** What the engine answers: by name, from payload to result. */
export interface EngineRequests {
	ready: { ask: { revision: number }; answer: { revision: number; cells: number; bytes: number } };
	form: { ask: FormAsk; answer: FormAnswer };
	enter: {
		ask: FormAsk &
			EntryOptions & {
				entries: EntryAsk[];
				style: NumberStyle;
				/** How the person writes dates. */
				dates?: { order: DateOrder; months: readonly string[] };
				seenStructure: number;
			};
		answer: EnterAnswer;
	};
	/** Puts draft cells back that still are as the changes found them; answers with those it changed. */
	restore: { ask: FormAsk & { changes: DraftChange[] }; answer: { form: FormAnswer; changes: DraftChange[] } };
	inspect: { ask: FormAsk & { row: number; column: number }; answer: Inspection };
	planSave: {
		ask: {
			person: number;
			rules: AccessRules;
			draftVersion: number;
			revision: number;
			structure: number;
			decisions: ConflictDecisions;
			/** Only what goes with this form. */
			form?: number;
		};
		answer: SavePlan;
	};
	/** What the maker of a form asks. */
	checkLayout: { ask: { layout: FormLayout; structure: number }; answer: { faults: string[]; hints: string[] } };
	select: { ask: SelectAsk; answer: SelectedMembers };
	branch: { ask: { dimension: number; of: number | null; structure: number }; answer: { members: TreeMember[] } };
	/** The cells of a form at which some figures (places) stand. */
	locate: { ask: FormAsk & { places: number[][] }; answer: { cells: number[][] } };
	/** Which of some entries (by what stood beneath them when they were typed) stand over another figure now, and where on the form. */
	moved: {
		ask: FormAsk & { notes: { address: number[]; period: number; beneath: number }[] };
		answer: { moved: { cells: number[]; typed: number; beneath: number; now: number | null }[] };
	};
	/** Of rows filled by a method: those for which it gives something else now. */
	movedMethods: {
		ask: FormAsk & { methods: { place: number[]; method: Method; currency: string; values: Record<string, number> }[] };
		/** `wholly` where nothing of it was typed over since. */
		answer: { moved: { index: number; row: number; label: string; wholly: boolean }[] };
	};
	/** The leaf cells of a form that show a result, with its origin. */
	results: { ask: FormAsk; answer: { results: { cell: number; origin: number }[] } };
	/** Whether texts could be entered into cells, and what would show where an empty one takes an entry away. */
	emptied: {
		ask: FormAsk & { cells: { row: number; column: number; text: string }[]; style: NumberStyle };
		answer: { effects: ({ words: string } | { fault: string })[] };
	};
	/** What setting one leaf cell would write, past the person's draft. */
	planCell: { ask: FormAsk & { row: number; column: number; value: number | null }; answer: SavePlan & { place: number[] } };
	/** What setting entries past any draft would write. */
	planEntries: {
		ask: {
			rules: AccessRules;
			revision: number;
			structure: number;
			cells: { address: number[]; period: number; value: number | null }[];
		};
		answer: SavePlan;
	};
	method: { ask: FormAsk & { row: number; method: Method }; answer: MethodAnswer };
	effect: { ask: EffectAsk; answer: EffectLine[] };
	/** Asked of a thread of its own, so that typing stays quick meanwhile. */
	planRun: {
		ask: {
			revision: number;
			structure: number;
			steps: Step[];
			parameters: ParameterDefinition[];
			answers: Answers;
			/** Step → origin; those among them that are not stored yet; what kind of thing each origin is. */
			originOf: [number, number][];
			unknown: OriginDefinition[];
			/** The members it is for, and every origin results of the runbook stand under. */
			named: MembersNamed;
			results: ResultOrigin[];
			/** By origin of results: those its last run read. */
			readBy: [number, number[]][];
			kinds: [number, Clears][];
			rules: AccessRules;
			onRefused: 'skip' | 'stop';
			preview: boolean;
			/** Whose unsaved entries it is tried on; the base when nobody's. */
			draftOf?: number;
			/** Whether the figures themselves are wanted. */
			figures?: boolean;
			/** Two integers, shared: 1 in the first ends it, the second tells the step. */
			control?: SharedArrayBuffer;
		};
		answer: RunPlan;
	};
	/** Why series may not be written, as the first cell that may not; null when all may. Members by id, places within the year. */
	whyNotWrite: {
		ask: { structure: number; rules: AccessRules; series: { members: number[]; year: number; places: number[] }[] };
		answer: { reason: string | null };
	};
	checkRunbook: { ask: { structure: number; steps: Step[]; parameters: ParameterDefinition[] }; answer: Finding[] };
	checkScript: {
		/** While one types the names are of no use, and there are many; and mostly only what stands near is wanted. */
		ask: {
			structure: number;
			text: string;
			parameters: ParameterDefinition[];
			limits: Slice;
			faultsOnly?: boolean;
			near?: { from: number; to: number } | undefined;
		};
		answer: ScriptCheck;
	};
	/** Every leaf cell of a slice with its amount, stored or computed by a live formula: members (ids) by dimension, leaf periods. */
	leafCells: {
		ask: { revision: number; structure: number; slice: Readonly<Record<string, readonly number[]>> };
		answer: { members: Int32Array[]; periods: Int32Array; amounts: Float64Array };
	};
	/** What is wrong with the text of a live formula. */
	checkFormula: { ask: { structure: number; text: string }; answer: ScriptCheck };
	printScripts: { ask: { structure: number; scripts: StoredScript[] }; answer: string[] };
	vocabulary: { ask: { structure: number }; answer: Vocabulary };
	close: { ask: Record<string, never>; answer: Record<string, never> };
}

export type EngineRequestName = keyof EngineRequests;
export interface EngineRequest<Name extends EngineRequestName = EngineRequestName> {
	id: number;
	name: Name;
	ask: EngineRequests[Name]['ask'];
}
export type EngineReply =
	| { kind: 'answer'; id: number; answer: unknown }
	/** A sentence for the person, or a bug when `message` is undefined. */
	| { kind: 'failed'; id: number; message: string | undefined; detail: string }
	| EngineNews;

/** What an engine tells unasked: how far its cube and its model have come. */
export type EngineNews = { kind: 'revision'; revision: number } | { kind: 'structure'; structure: number };
