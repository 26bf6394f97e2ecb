import { selectMembers, type Selection } from '../dimension';
import type { Model } from '../model';
import { ScriptNames } from '../script';
import { resolveAnswers } from './answers';
import { checkSlice } from './check-slice';
import type { Answers, ParameterDefinition, Step } from './definition';
import { recordOf } from './kinds';
import { scopeOf } from './slice';

/** Something about a step that is wrong, or worth a look. */
export interface Finding {
	step: number;
	severity: 'error' | 'hint';
	message: string;
	/** In a script: the line. */
	line?: number;
}

/**
 * What is wrong with the steps of a runbook before it is run: names that are gone, empty selections, scripts with faults,
 * targets that formulas compute, steps that write what a later one clears. Parameters count as their initial value.
 */
export function checkRunbook(model: Model, steps: readonly Step[], parameters: readonly ParameterDefinition[]): Finding[] {
	const findings: Finding[] = [];
	const answers: Answers = Object.fromEntries(
		parameters.map((parameter) => [parameter.name, parameter.initial ?? sample(model, parameter)])
	);
	const { values, variables } = resolveAnswers(model, parameters, answers);
	const names = new ScriptNames(model);
	const written = new Map<number, Set<number>>();
	for (const [place, step] of steps.entries()) {
		if (!step.active) continue;
		const find = (severity: Finding['severity'], message: string, line?: number) =>
			findings.push({ step: step.id, severity, message, ...(line !== undefined && { line }) });
		if (step.name.trim() === '') find('hint', 'This step has no name.');
		checkSlice(model, step.limits, variables, 'The limits of this step', find);
		const accounts = new Set<number>();
		written.set(step.id, accounts);
		const writes = (account: number, { asIs = false } = {}) => {
			accounts.add(account);
			const { name } = model.accounts.member(account);
			if (asIs) return;
			if (model.formula(account)) find('error', `“${name}” is computed from totals by its formula: nothing can be written there.`);
			else if (model.live.has(account)) find('hint', `“${name}” has a live formula: where it stands, nothing is written.`);
		};
		recordOf(step).check(model, step, {
			values,
			variables,
			names,
			above: steps.slice(0, place).filter(({ active }) => active),
			find,
			writes
		});
	}
	steps.forEach((step, index) => {
		if (!step.active || step.kind !== 'clear' || !step.what.includes('results')) return;
		for (const earlier of steps.slice(0, index))
			if (earlier.active && (written.get(earlier.id)?.size ?? 0) > 0 && meets(model, earlier, step, variables))
				findings.push({ step: earlier.id, severity: 'hint', message: `What this step writes is cleared by “${step.name}” after it.` });
	});
	const firstComputing = steps.findIndex((step) => step.active && !recordOf(step).isBefore);
	steps.forEach((step, index) => {
		if (step.active && recordOf(step).isBefore && firstComputing >= 0 && index > firstComputing)
			findings.push({ step: step.id, severity: 'error', message: 'Imports come first: move this step before those that compute.' });
	});
	if (!steps.some(({ active }) => active)) findings.push({ step: 0, severity: 'error', message: 'There is no step to run.' });
	return findings;
}

/** Whether two steps' limits have cells in common. */
function meets(model: Model, one: Step, other: Step, variables: ReadonlyMap<string, number>): boolean {
	const [first, second] = [scopeOf(model, one.limits, variables), scopeOf(model, other.limits, variables)];
	for (const [axis, allowed] of first.axes) {
		const also = second.axes.get(axis);
		if (also && !allowed.some((each, ordinal) => each === 1 && also[ordinal] === 1)) return false;
	}
	return !first.periods || !second.periods || first.periods.some((each, leaf) => each === 1 && second.periods![leaf] === 1);
}

/** A member to check by, where a parameter has no initial one. */
function sample(model: Model, { kind, dimension, choices }: ParameterDefinition): number | string | number[] | null {
	if (kind === 'number' || kind === 'percent') return 0;
	if (kind === 'text') return '';
	const of = dimension === null ? undefined : model.dimension(dimension);
	if (!of) return null;
	const all: Selection = choices ?? { kind: 'all' };
	const first = selectMembers(of, all, { variables: model.variables })[0];
	if (first === undefined) return null;
	return kind === 'members' ? [of.member(first).id] : of.member(first).id;
}
