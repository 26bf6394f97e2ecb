import type {
	AllocationStep,
	ClearStep,
	CopyStep,
	FormulaStep,
	ImportStep,
	LockStep,
	RollForwardStep,
	SnapshotStep,
	Step,
	StepKind
} from '../definition';
import { sliceInWords } from '../slice-words';
import { allocation } from './allocation';
import { clear } from './clear';
import { copy } from './copy';
import { formula } from './formula';
import { importing } from './import';
import { renamedSlice, type DraftOf, type MemberNames, type Renaming, type StepHead, type StepRecord } from './kind';
import { lock } from './lock';
import { rollForward } from './roll-forward';
import { snapshot } from './snapshot';

type Content<Kind extends StepKind> = Extract<
	FormulaStep | CopyStep | RollForwardStep | AllocationStep | ClearStep | ImportStep | LockStep | SnapshotStep,
	{ kind: Kind }
>;

/** The kinds of step there are, in the order in which they are offered. */
export const STEP_KINDS: { readonly [Kind in StepKind]: StepRecord<Content<Kind>> } = {
	import: importing,
	copy,
	formula,
	allocation,
	'roll-forward': rollForward,
	clear,
	lock,
	snapshot
};

/** The record of a step's kind, for that step. */
export const recordOf = <Kind extends StepKind>({ kind }: { kind: Kind }): StepRecord<Content<Kind>> =>
	STEP_KINDS[kind] as unknown as StepRecord<Content<Kind>>;

/** Whether a step's results add on top of what stands, or stand themselves; undefined where it writes under no origin. */
export const originModeOf = (step: AnyStep): 'adds' | 'sets' | undefined => recordOf(step).originMode(step as never);

/** The same step, or draft of one, with other numbers for the members and dimensions it names, in its limits too. */
export const renamedStep = <Given extends AnyStep>(step: Given, to: Renaming): Given => ({
	...(recordOf(step).renamed(step as never, to) as Given),
	limits: renamedSlice(step.limits, to)
});

/** The members (ids) a step names: in its limits, its slices, its script and its lines. */
export function membersOfStep(step: AnyStep): Set<number> {
	const found = new Set<number>();
	renamedStep(step, { member: (id) => (found.add(id), id) });
	return found;
}

/** What a step does, in a sentence. */
export function stepInWords(step: StepDraftLike, names: MemberNames): string {
	const within = Object.keys(step.limits).length > 0 ? ` Only in ${sliceInWords(step.limits, names)}.` : '';
	return `${recordOf(step).inWords(step as never, names)}.${within}`;
}

/** A step as a page has it. */
export type StepDraftLike = { [Kind in StepKind]: Omit<StepHead, 'id'> & { id: number | null } & DraftOf<Content<Kind>> }[StepKind];
type AnyStep = Step | StepDraftLike;
