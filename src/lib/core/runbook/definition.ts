import type { MemberReference, Selection } from '../dimension';
import type { MemberMap } from './kinds/member-map';
import type { StoredScript } from '../script';

/** A part of a model: by dimension (id), which members. Dimensions left out are free. */
export type Slice = Readonly<Record<number, Selection>>;

/** A number, or the name of the parameter that holds it. */
export type NumberOrParameter = number | { parameter: string };

/**
 * How a year's total is laid out over its periods: into one of them (from 1), evenly, or by a season: as another account
 * (id) stands there that year, or as the target stood the year before (null).
 */
export type OverYear = { way: 'one period'; period: number } | { way: 'evenly' } | { way: 'season'; account: number | null };

export interface CopyStep {
	kind: 'copy';
	/** What is read; only members without others beneath them hold values, so parents stand for what is beneath them. */
	from: Slice;
	/** The members it is put on, by dimension (id), or which member becomes which; several members read are added up there. */
	onto: Readonly<Record<number, MemberReference | { map: MemberMap }>>;
	/** So many periods of a level later (earlier below zero). */
	shift: { level: string; by: number } | null;
	factor: NumberOrParameter;
	/** What adds up over the year is put together and laid out anew; left out, each period keeps its own. */
	over?: OverYear;
	/** Whether it comes on top of what stands there, instead of standing there itself. */
	adds?: boolean;
	/** Whether it is written only where the source has values; left out, all of the target slice is set, empty places too. */
	onlyWhereValues?: boolean;
	/** Whether the factor multiplies prices and percents too. */
	pricesToo?: boolean;
}

export interface FormulaStep {
	kind: 'formula';
	script: StoredScript;
}

/** Periods that balances are carried into. */
export type CarriedInto = 'every period' | 'first period of the year' | 'later periods of the year';

/** What an account holds at the end of a period is what another, or it itself, begins the next one with. */
export interface RollForwardLine {
	/** The account (id) that is read; none where a selection names several. */
	from: number | null;
	accounts?: Selection;
	/** The account (id) that is written; none: the same one. */
	to: number | null;
	/** By dimension (id): the member that is read, and the one that is written. */
	members?: readonly { dimension: number; from: number; to: number }[];
	reverse: boolean;
	/** Where it is carried into other periods than the step's other lines are. */
	into?: CarriedInto;
}

export interface RollForwardStep {
	kind: 'roll-forward';
	lines: readonly RollForwardLine[];
	into: CarriedInto;
}

/** What a clear step takes away. */
export type Clears = 'entries' | 'loads' | 'results';

export interface ClearStep {
	kind: 'clear';
	what: readonly Clears[];
}

/** Opens or closes what the step is limited to on the lock board. */
export interface LockStep {
	kind: 'lock';
	state: 'open' | 'closed';
}

/** Takes a snapshot of what the step is limited to. */
export interface SnapshotStep {
	kind: 'snapshot';
	called: string;
}

/** Fetches and loads an import (id) before the run computes anything. */
export interface ImportStep {
	kind: 'import';
	import: number | null;
}

/** What weighs receivers: an account (id), read at members of its own where it is not at theirs. */
export interface Driver {
	account: number | null;
	/** By dimension (id): the member it is read at, which may be a parent; elsewhere it is read at the receiver, or where the pool is. */
	at: Readonly<Record<number, MemberReference>>;
}

/** How a pool is shared among its receivers. */
export type Basis =
	| { by: 'even' }
	/** Each row: a member (id) by dimension (id), and what it weighs. */
	| { by: 'fixed'; shares: readonly { members: Readonly<Record<number, number>>; share: number }[] }
	/** Several add up. At the members that are named, what is beneath them is weighed together, and shared evenly. */
	| { by: 'driver'; drivers: readonly Driver[]; atNamed?: boolean }
	/** Quantities at a price: a number, or an account read like a driver. What is over or under is kept. */
	| { by: 'standard'; drivers: readonly Driver[]; rate: NumberOrParameter | Driver };

/** A part of a pool on its way to its receivers. */
export interface AllocationLine {
	name: string;
	pool: Slice;
	/** On the dimensions that change: who receives. All others stay as they are in the pool. */
	receivers: Slice;
	basis: Basis;
	/** How much of the pool, in percent. */
	share: NumberOrParameter;
	/** By a driver: how much of it there could be, where the pool is. Only what is used of it goes out; the rest stays. */
	capacity?: Driver;
	/** By a driver: accounts (ids) where the pool is that take what a unit costs, how many were used, and how many were not. */
	keeps?: { unitCost?: number; used?: number; unused?: number };
}

/** Shares pools of amounts out to receivers. */
export interface AllocationStep {
	kind: 'allocation';
	lines: readonly AllocationLine[];
	/** Where what went out is taken away: nowhere, where it stands, or on another account (id) there. */
	contra: 'none' | 'same account' | { account: number | null };
	/** Where nothing weighs the receivers. */
	noDriver: 'stranded' | 'evenly' | 'stop';
	/** Drivers below 0. */
	negative: 'refuse' | 'absolute';
	/** The preset (id) it follows, and which of the preset's settings it says itself. */
	preset?: { id: number; own: readonly string[] };
	/** Whether it is solved together with the allocations next to it that are too: their pools serve one another. */
	together?: boolean;
	/** In which drivers of money are compared and the proof is stated; null for the model's reporting currency. */
	currency: string | null;
}

/** A step of a runbook. */
export type Step = {
	/** Stays the same while the step is changed: its results are known by it. */
	id: number;
	name: string;
	description: string;
	active: boolean;
	/** What it may write at most. */
	limits: Slice;
	/** Steps next to each other of one group can be looked at, run, cleared and switched off together. */
	group?: string;
} & (CopyStep | FormulaStep | RollForwardStep | AllocationStep | ClearStep | ImportStep | LockStep | SnapshotStep);

export type StepKind = Step['kind'];

/** What a run of a runbook asks for. */
export interface ParameterDefinition {
	name: string;
	label: string;
	kind: 'member' | 'members' | 'number' | 'percent' | 'text';
	/** For members: whose, and which may be chosen. */
	dimension: number | null;
	choices: Selection | null;
	/** A member's id, a list of them, a number or a text; null: none. */
	initial: number | string | number[] | null;
}

/** What was answered: by the parameter's name. */
export type Answers = Readonly<Record<string, number | string | readonly number[] | null>>;
