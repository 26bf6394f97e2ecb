import type { SliceRule } from './rules';

export const LOCK_STATES = ['open', 'held', 'closed'] as const;
export type LockState = (typeof LOCK_STATES)[number];

/** What may lock a figure, each for itself: a closed period, a round of planning, the lock board. */
export const LOCK_LAYERS = ['period close', 'cycle', 'board'] as const;
export type LockLayer = (typeof LOCK_LAYERS)[number];

/** The state of a slice in one layer. */
export interface Lock {
	id: number;
	layer: LockLayer;
	state: LockState;
	name: string;
	slice: SliceRule;
	/** Who set it, since when and why, where that is known; days as YYYY-MM-DD. */
	by?: string;
	since?: string;
	reason?: string;
	/** The day on which it becomes another by itself. */
	turns?: { on: string; to: LockState };
	/** Whom to ask. */
	ask?: string;
}

/** Where somebody may still write although a lock is held: within its slice, or a part of that. */
export interface HeldFor {
	lock: number;
	slice: SliceRule;
}

const BECOMES: Record<LockState, string> = { open: 'opens', held: 'is held', closed: 'closes' };

/** Why a lock keeps one out: what is locked, by whom, since when, until when, and whom to ask. */
export function lockInWords(lock: Lock): string {
	let words = told.get(lock);
	if (words === undefined) told.set(lock, (words = inWords(lock)));
	return words;
}

/** A form may say it of thousands of cells. */
const told = new WeakMap<Lock, string>();

function inWords({ name, state, by, since, reason, turns, ask }: Lock): string {
	const facts = [...(by ? [`by ${by}`] : []), ...(since ? [`since ${dayInWords(since)}`] : [])].join(' ');
	const said = `${name} is ${state}${facts && ` ${facts}`}${reason ? `: “${reason}”` : ''}.`;
	return [said, ...(turns ? [`On ${dayInWords(turns.on)} it ${BECOMES[turns.to]} by itself.`] : []), ...(ask ? [`Ask ${ask}.`] : [])].join(
		' '
	);
}

const DAYS = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' });

/** A day (YYYY-MM-DD) in words, as sentences of the core say it. */
const dayInWords = (day: string): string => DAYS.format(new Date(`${day}T00:00:00Z`));
