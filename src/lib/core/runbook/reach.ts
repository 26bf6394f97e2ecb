import type { Model } from '../model';
import type { CheckedScript, ParameterValue, Scope, ScriptNames } from '../script';
import type { Step } from './definition';
import { recordOf } from './kinds';

/** Where a step may write, and what it reads: parts of the model, each with the accounts among its axes. */
export interface Reach {
	writes: Scope[];
	reads: Scope[];
	/** The leaf periods of its target; undefined for all. */
	periods: Uint8Array | undefined;
	/** Of a formula step: its script, read and checked. */
	script?: { checked: CheckedScript; text: string };
}

export interface ReachContext {
	values: ReadonlyMap<string, ParameterValue>;
	variables: ReadonlyMap<string, number>;
	names: () => ScriptNames;
}

/** Works out the reach of a step; steps that write under no origin have none. O(size of the step × members). */
export const reachOf = (model: Model, step: Step, context: ReachContext): Reach =>
	recordOf(step).reach?.(model, step, context) ?? { writes: [], reads: [], periods: undefined };
