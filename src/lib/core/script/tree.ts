import type { Selection } from '../dimension';
import type { Arithmetic, Comparison, FunctionName } from '../formula';

/** A fault in a script: where it stands (characters from the start), and a sentence. */
export interface ScriptFault {
	from: number;
	to: number;
	message: string;
}

/** A place in a script where a member is named: kept by its id, so that a rename never breaks the script. */
export interface NameUse {
	from: number;
	to: number;
	dimension: number;
	member: number;
	/** Whether its dimension stands in front. */
	qualified: boolean;
}

/** Where an operand is read on one axis, when not at the current cell. */
export type AxisRead =
	| { kind: 'member'; ordinal: number }
	| { kind: 'parent' }
	| { kind: 'total' }
	/** The total of a member with others beneath it, by their weights. */
	| { kind: 'of'; ordinal: number }
	/** Folded over a selection: a sum takes every leaf of it once, unweighted; the others take its members as they are. */
	| { kind: 'over'; ordinals: readonly number[] };

export type Fold = 'sum' | 'avg' | 'count' | 'min' | 'max' | 'first' | 'last';

/** An account read at the current cell, or elsewhere: other members, an earlier period, a whole level, up to date. */
export interface Operand {
	/** Account ordinal; a parent stands for the accounts beneath it. */
	account: number;
	/** By axis of the address; axes left out are the current cell's. */
	axes: ReadonlyMap<number, AxisRead>;
	fold: Fold;
	/** So many periods of a level earlier (below zero) or later. */
	shift?: { level: string; by: number };
	/** A period by name (ordinal) in place of the current one. */
	period?: number;
	/** The whole of the period of this level in which the current one lies, or from its start to here. */
	span?: { level: string; to: 'end' | 'here' };
}

export type { Arithmetic, Comparison, FunctionName };

/** An expression with its names found; member tests by ordinals. */
export type Term =
	| { kind: 'number'; value: number }
	| { kind: 'read'; operand: Operand }
	/** The current leaf period as a number that compares and subtracts. */
	| { kind: 'period now' }
	/** The leaf period that an operand of choice names. */
	| { kind: 'period of'; operand: Operand }
	| { kind: 'negative' | 'not'; of: Term }
	| { kind: 'arithmetic'; operator: Arithmetic; left: Term; right: Term }
	/** `unit`: of the last decimal of what is compared. */
	| { kind: 'compare'; operator: Comparison; left: Term; right: Term; unit: number }
	| { kind: 'and' | 'or'; left: Term; right: Term }
	/** Whether the current member of an axis (−1: the period) is among some; above leaves all beneath count. */
	| { kind: 'member in'; axis: number; members: Uint8Array }
	/** Whether the current member of an axis is the one an operand of choice holds. */
	| { kind: 'member is choice'; axis: number; operand: Operand }
	| { kind: 'when'; cases: readonly { condition: Term; value: Term }[]; otherwise: Term | undefined }
	| { kind: 'call'; name: FunctionName; args: readonly Term[] };

/** Members allowed on each axis, by ordinal; axes left out are free. The period by leaf index. */
export interface Scope {
	axes: ReadonlyMap<number, Uint8Array>;
	periods: Uint8Array | undefined;
}

export interface Assignment {
	from: number;
	to: number;
	/** Account ordinal, and the members its other axes are set to. */
	account: number;
	fixed: ReadonlyMap<number, number>;
	term: Term;
	everywhere: boolean;
	scope: Scope;
}

/** A value a script may name with a $: a number, a member, or several. */
export type ParameterValue =
	{ kind: 'number'; value: number } | { kind: 'text'; value: string } | { kind: 'selection'; dimension: number; selection: Selection };

/** A script that was read and whose names were found. */
export interface CheckedScript {
	assignments: Assignment[];
	faults: ScriptFault[];
	names: NameUse[];
	/** Parameters and variables it names. */
	parameters: ReadonlySet<string>;
	/** How many accounts statements about `value` pass over, by the reason. */
	passedOver: ReadonlyMap<string, number>;
}
