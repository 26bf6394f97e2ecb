import type { Scope } from '../script';

/** How much a member weighs: an account's values, at some members of other dimensions. All ordinals. */
export interface ReadyDriver {
	account: number;
	/** Axes on which it is read at members of its own, with the weight of each leaf there. */
	fixed: ReadonlyMap<number, Float64Array>;
}

/** A member that receives, or several beneath one: its leaves in the order of the hierarchy. */
export interface ReadyReceiver {
	ordinal: number;
	leaves: Int32Array;
	/** By leaf: whether it is reached where nothing says how much: it counts in its parent, and is not retired. */
	reached: Uint8Array;
}

/** A dimension on which the receivers are other members than the pool. */
export interface ReadyChange {
	axis: number;
	/** How each leaf of the pool counts, what does not belong to it 0. */
	weights: Float64Array;
	receivers: readonly ReadyReceiver[];
}

export type ReadyBasis =
	| { by: 'even' }
	| { by: 'fixed'; shares: readonly { leaves: readonly Int32Array[]; share: number }[] }
	| { by: 'driver'; drivers: readonly ReadyDriver[]; atNamed: boolean }
	| { by: 'standard'; drivers: readonly ReadyDriver[]; rate: number | ReadyDriver };

export interface ReadyLine {
	name: string;
	/** The leaf cells it is about. */
	pool: Scope;
	/** Part of the pool that this line shares out, 0 to 1. */
	share: number;
	/** In the order of the model's dimensions. */
	changes: readonly ReadyChange[];
	basis: ReadyBasis;
	/** How much of the driver there could be. */
	capacity?: ReadyDriver;
	/** Where figures of the pool are kept: the member (ordinal) on each dimension that changes, and the accounts that take them. */
	keeps?: { at: ReadonlyMap<number, number>; unitCost?: number; used?: number; unused?: number };
}

/** An allocation whose members have been found. */
export interface ReadyAllocation {
	lines: readonly ReadyLine[];
	/** Where the amounts are taken out: nowhere, where they stand, or on another account (ordinal). */
	contra: 'none' | 'same account' | number;
	noDriver: 'stranded' | 'evenly' | 'stop';
	negative: 'refuse' | 'absolute';
	/** In which drivers of money are compared, and amounts between currencies are shared. */
	currency: string;
}
