import type { HeldFor } from './lock';

/** Members (ids) by dimension id; each covers all under it in the main tree. A dimension left out is not limited. */
export type SliceRule = Readonly<Record<number, readonly number[]>>;

export interface Grant {
	name: string;
	/** `write` includes reading; `none` wins over both. */
	level: 'read' | 'write' | 'none';
	slice: SliceRule;
}

export interface AccessRules {
	/** Whether the person's roles let them enter numbers at all. */
	mayEnter: boolean;
	grants: readonly Grant[];
	/** Where one may still write although it is held. */
	heldFor?: readonly HeldFor[];
	/** All that is written lies within this, and why: the branch one works in is limited to it. */
	within?: { name: string; slice: SliceRule };
	/** Dimensions (ids) on which the model restricts reading; none when left out. */
	guarded?: readonly number[];
}

/**
 * What a cell is to a person: `enter` a leaf they may type into, `spread` a parent that reaches such leaves, `computed`
 * a figure nobody types, `closed` locked or outside the scenario's months, `held` for others, `refused` not theirs.
 */
export type Verdict = { kind: 'enter' } | { kind: 'spread' } | { kind: 'computed' | 'closed' | 'held' | 'refused'; reason: string };
