import { mapSelection, type MemberReference } from '../../dimension';
import type { Model } from '../../model';
import type { ScriptNames } from '../../script';
import type { FormulaStep, Slice, Step, StepKind } from '../definition';
import type { Reach, ReachContext } from '../reach';
import type { StepWork } from '../step-work';

/** What belongs to every step, whatever its kind. */
export type StepHead = Pick<Step, 'id' | 'name' | 'description' | 'active' | 'limits'>;

/** A step's own part as a page has it: scripts are text. */
export type DraftOf<Own> = Own extends FormulaStep ? { kind: 'formula'; text: string } : Own;

/** Other numbers for what a step names: another member in the place of one, or places in a package. */
export interface Renaming {
	member: (id: number) => number;
	dimension?: (id: number) => number;
	/** In which order what is kept by dimension is gone through; as it comes without. */
	order?: (one: number, other: number) => number;
}

/** What a check knows beside the step. */
export interface Checking extends Omit<ReachContext, 'names'> {
	names: ScriptNames;
	/** The steps above it that run. */
	above: readonly Step[];
	find: (severity: 'error' | 'hint', message: string, line?: number) => void;
	/** Notes that an account (ordinal) is written, and finds whether it can be; not where it is copied as it is. */
	writes: (account: number, how?: { asIs?: boolean }) => void;
}

export type MemberNames = ReadonlyMap<number, string>;

/**
 * All that is particular to a kind of step. Beside it a kind has how its drafts are checked as they arrive
 * (`server/runbook/schema`) and the fields it is edited by (`ui/rules/step-fields`); both are complete or do not compile.
 */
export interface StepRecord<Own extends { kind: StepKind }> {
	/** What it is called, and what a new one is called. */
	title: string;
	firstName: string;
	/** What a new one begins with. */
	blank: DraftOf<Own>;
	/** Whether it is done before the run computes anything, and stands before what does. */
	isBefore?: true;
	/** Whether it is written as a whole or not at all, however the run is set. */
	isWhole?: true;
	/** What an empty limit means to it, in words; undefined where it has no limits. */
	unlimited: string | undefined;
	/** Whether its results add on top of what stands, or stand themselves; undefined where it writes under no origin. */
	originMode: (own: DraftOf<Own> | Own) => 'adds' | 'sets' | undefined;
	/** Whether it sets all of its target: what it finds nothing for is emptied. */
	setsAll?: (own: Own) => boolean;
	/** Finds what is wrong with it, and notes the accounts it writes. */
	check: (model: Model, step: StepHead & Own, checking: Checking) => void;
	/** Where it writes and what it reads. */
	reach?: (model: Model, step: StepHead & Own, context: ReachContext) => Reach;
	/** Carries it out. */
	run?: (work: StepWork, step: StepHead & Own, reach: Reach) => void;
	/** The same with other numbers for the members and dimensions it names. */
	renamed: <Given extends Own | DraftOf<Own>>(own: Given, to: Renaming) => Given;
	/** What it does, in a sentence without its end; limits are told apart. */
	inWords: (own: DraftOf<Own>, names: MemberNames) => string;
}

/** What is kept by dimension, gone through in the order asked for, under other keys. */
export function renamedKeys<Value>(
	kept: Readonly<Record<number, Value>>,
	to: Renaming,
	rename: (value: Value) => Value
): Readonly<Record<number, Value>> {
	const dimensions = Object.keys(kept).map(Number);
	if (to.order) dimensions.sort(to.order);
	return Object.fromEntries(dimensions.map((id) => [to.dimension ? to.dimension(id) : id, rename(kept[id]!)]));
}

export const renamedSlice = (slice: Slice, to: Renaming): Slice =>
	renamedKeys(slice, to, (selection) => mapSelection(selection, (id) => to.member(id)));

/** Whether a member that a step names is there. */
export function isThere(model: Model, dimension: number, reference: MemberReference, variables: ReadonlyMap<string, number>): boolean {
	const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
	return member !== undefined && model.dimension(dimension)?.ordinal(member) !== undefined;
}
