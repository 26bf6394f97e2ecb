import type { Model } from '../model';
import {
	checkScript,
	operandsIn,
	printScript,
	ScriptNames,
	type Assignment,
	type CheckedScript,
	type ParameterValue,
	type Scope
} from '../script';
import { readyCopy, targetOfCopy } from './copy';
import type { CarriedInto, OverYear, Step } from './definition';
import { isCarriedInto, readyLines } from './roll-forward';
import { scopeOf } from './slice';

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
export function reachOf(model: Model, step: Step, { values, variables, names }: ReachContext): Reach {
	switch (step.kind) {
		case 'formula': {
			const text = printScript(model, step.script, names());
			const checked = checkScript(model, text, { names: names(), parameters: values, scope: scopeOf(model, step.limits, variables) });
			const writes = checked.assignments.map(({ account, scope }) => withAccounts(model, scope, [account]));
			return {
				writes,
				reads: checked.assignments.flatMap((assignment) => readsOfAssignment(model, assignment)),
				periods: unionOfPeriods(writes),
				script: { checked, text }
			};
		}
		case 'copy': {
			const ready = readyCopy(model, step, variables);
			if (typeof ready === 'string') return { writes: [], reads: [], periods: undefined };
			const target = targetOfCopy(model, ready);
			return { writes: [target], reads: [ready.from, ...seasonRead(model, step.over, target)], periods: target.periods };
		}
		case 'roll-forward': {
			const limits = scopeOf(model, step.limits, variables);
			const lines = readyLines(model, step, variables);
			if (typeof lines === 'string') return { writes: [], reads: [], periods: undefined };
			const periodsOf = (into: CarriedInto) =>
				Uint8Array.from(model.periods.leaves, (leaf) => ((limits.periods?.[leaf.index] ?? 1) === 1 && isCarriedInto(into, leaf) ? 1 : 0));
			const free = new Map([...limits.axes].filter(([axis]) => axis !== model.accountAxis));
			const sources = new Set(lines.flatMap(({ source }) => [source, ...model.live.followedFrom(source)]));
			const writes = [...new Set(lines.map(({ into }) => into))].map((into) =>
				withAccounts(
					model,
					{ axes: free, periods: periodsOf(into) },
					lines.filter((line) => line.into === into).map(({ target }) => target)
				)
			);
			return {
				writes,
				reads: [{ axes: new Map([[model.accountAxis, flags(model.accounts.members.length, sources)]]), periods: undefined }],
				periods: unionOfPeriods(writes)
			};
		}
		default:
			return { writes: [], reads: [], periods: undefined };
	}
}

/** Where an assignment may read results: the accounts of its operands and what those follow from, at the members it reads. */
function readsOfAssignment(model: Model, { term, scope }: Assignment): Scope[] {
	return operandsIn(term).map(({ account, axes, shift, period, span }) => {
		const read = new Map<number, Uint8Array>();
		for (const [axis, allowed] of scope.axes) if (!axes.has(axis)) read.set(axis, allowed);
		for (const [axis, where] of axes)
			if (where.kind === 'member') read.set(axis, flags(model.dimensions[axis]!.members.length, [where.ordinal]));
		// What looks back from its first periods sees the scenario it continues from.
		if (shift || span) read.delete(model.scenarioAxis);
		const accounts = new Set(model.accounts.leavesOf(account).flatMap((leaf) => [leaf, ...model.live.followedFrom(leaf)]));
		return withAccounts(model, { axes: read, periods: shift || span || period !== undefined ? undefined : scope.periods }, accounts);
	});
}

/** What a copy reads to know a season: an account at its target, or its target the year before in whichever scenario speaks of it. */
function seasonRead(model: Model, over: OverYear | undefined, target: Scope): Scope[] {
	if (over?.way !== 'season') return [];
	const axes = new Map(target.axes);
	if (over.account === null) {
		axes.delete(model.scenarioAxis);
		return [{ axes, periods: undefined }];
	}
	const leaf = model.accounts.ordinal(over.account)!;
	return [withAccounts(model, { axes, periods: target.periods }, [leaf, ...model.live.followedFrom(leaf)])];
}

function withAccounts(model: Model, { axes, periods }: Scope, accounts: Iterable<number>): Scope {
	return { axes: new Map([...axes, [model.accountAxis, flags(model.accounts.members.length, accounts)]]), periods };
}

function flags(size: number, ordinals: Iterable<number>): Uint8Array {
	const found = new Uint8Array(size);
	for (const ordinal of ordinals) found[ordinal] = 1;
	return found;
}

function unionOfPeriods(scopes: readonly Scope[]): Uint8Array | undefined {
	let union: Uint8Array | undefined;
	for (const { periods } of scopes) {
		if (!periods) return undefined;
		union = union ? union.map((each, leaf) => each | periods[leaf]!) : periods;
	}
	return union;
}
