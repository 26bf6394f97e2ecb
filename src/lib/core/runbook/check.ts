import { selectMembers, type MemberReference, type Selection } from '../dimension';
import type { Model } from '../model';
import { checkScript, printScript, ScriptNames, type ParameterValue } from '../script';
import { resolveAnswers } from './answers';
import type { Answers, ParameterDefinition, Slice, Step } from './definition';
import { readyMap } from './member-map';
import { readyLines } from './roll-forward';
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
	for (const step of steps) {
		if (!step.active) continue;
		const find = (severity: Finding['severity'], message: string, line?: number) =>
			findings.push({ step: step.id, severity, message, ...(line !== undefined && { line }) });
		if (step.name.trim() === '') find('hint', 'This step has no name.');
		checkSlice(model, step.limits, variables, 'The limits of this step', find);
		written.set(step.id, checkStep(model, step, { values, variables, names, find }));
	}
	steps.forEach((step, index) => {
		if (!step.active || step.kind !== 'clear' || !step.what.includes('results')) return;
		for (const earlier of steps.slice(0, index))
			if (earlier.active && (written.get(earlier.id)?.size ?? 0) > 0 && meets(model, earlier, step, variables))
				findings.push({ step: earlier.id, severity: 'hint', message: `What this step writes is cleared by “${step.name}” after it.` });
	});
	const firstComputing = steps.findIndex(({ active, kind }) => active && kind !== 'import');
	steps.forEach((step, index) => {
		if (step.active && step.kind === 'import' && firstComputing >= 0 && index > firstComputing)
			findings.push({ step: step.id, severity: 'error', message: 'Imports come first: move this step before those that compute.' });
	});
	if (!steps.some(({ active }) => active)) findings.push({ step: 0, severity: 'error', message: 'There is no step to run.' });
	return findings;
}

interface Checking {
	values: ReadonlyMap<string, ParameterValue>;
	variables: ReadonlyMap<string, number>;
	names: ScriptNames;
	find: (severity: Finding['severity'], message: string, line?: number) => void;
}

/** @returns the accounts (ordinals) it writes, as far as that can be told */
function checkStep(model: Model, step: Step, { values, variables, names, find }: Checking): Set<number> {
	const writes = new Set<number>();
	const nameOf = (account: number) => model.accounts.member(account).name;
	const target = (account: number) => {
		writes.add(account);
		if (model.formula(account)) find('error', `“${nameOf(account)}” is computed from totals by its formula: nothing can be written there.`);
		else if (model.live.has(account)) find('hint', `“${nameOf(account)}” has a live formula: where it stands, nothing is written.`);
	};
	switch (step.kind) {
		case 'formula': {
			for (const { dimension, member, from, to } of step.script.names)
				if (model.dimension(dimension)?.ordinal(member) === undefined)
					find('error', `“${step.script.text.slice(from, to)}” is not there any more.`, step.script.text.slice(0, from).split('\n').length);
			const text = printScript(model, step.script, names);
			const { faults, assignments } = checkScript(model, text, {
				names,
				parameters: values,
				scope: scopeOf(model, step.limits, variables)
			});
			for (const { from, message } of faults) find('error', message, text.slice(0, from).split('\n').length);
			for (const assignment of assignments) {
				target(assignment.account);
				const line = text.slice(0, assignment.from).split('\n').length;
				if ([...assignment.scope.axes.values()].some((allowed) => !allowed.includes(1)) || assignment.scope.periods?.includes(1) === false)
					find('error', 'The scope of this statement is empty: nothing would be written.', line);
			}
			break;
		}
		case 'copy': {
			checkSlice(model, step.from, variables, 'What is copied', find);
			for (const [id, reference] of Object.entries(step.onto)) {
				const dimension = model.dimension(Number(id));
				if (typeof reference === 'object' && 'map' in reference) {
					const ready = dimension && readyMap(dimension, reference.map);
					if (typeof ready === 'string') find('error', ready);
					else if (reference.map.lines.length === 0)
						find('error', `No line says which member of ${dimension?.name ?? 'a dimension'} becomes which.`);
				} else if (!isThere(model, Number(id), reference, variables))
					find('error', `The member of ${model.dimension(Number(id))?.name ?? 'a dimension'} to copy onto is not there any more.`);
			}
			if (typeof step.factor !== 'number' && values.get(step.factor.parameter)?.kind !== 'number')
				find('error', `The factor $${step.factor.parameter} is no number.`);
			if (Object.keys(step.onto).length === 0 && !step.shift && !step.over)
				find('error', 'The copy would write where it reads. Choose members to copy onto, or a shift of periods.');
			if (Object.keys(step.from).length === 0) find('hint', 'The whole model is copied. Limit what is read.');
			const accounts = scopeOf(model, step.from, variables).axes.get(model.accountAxis);
			const map = step.onto[model.accounts.id];
			const ready = typeof map === 'object' && 'map' in map ? readyMap(model.accounts, map.map) : undefined;
			const becomes = (account: number) => (typeof ready === 'object' && ready.into[account]! >= 0 ? ready.into[account]! : account);
			for (const account of model.accounts.members.keys())
				if (model.account(account) && (!accounts || accounts[account] === 1)) writes.add(becomes(account));
			break;
		}
		case 'roll-forward':
			if (step.lines.length === 0) find('error', 'No line says what is carried forward.');
			{
				const lines = readyLines(model, step, variables);
				if (typeof lines === 'string') find('error', lines);
				else for (const into of new Set(lines.map(({ target: account }) => account))) target(into);
			}
			break;
		case 'import':
			if (step.import === null) find('error', 'Choose the import that is loaded.');
			break;
		case 'clear':
			if (Object.keys(step.limits).length === 0)
				find('error', 'A clear without limits would empty the whole model. Limit the step to a slice.');
			if (step.what.length === 0) find('error', 'Nothing is chosen to be cleared.');
			break;
		default:
			step satisfies never;
	}
	return writes;
}

function checkSlice(model: Model, slice: Slice, variables: ReadonlyMap<string, number>, what: string, find: Checking['find']): void {
	for (const [id, selection] of Object.entries(slice)) {
		const dimension = model.dimension(Number(id));
		if (!dimension) find('error', `${what} name a dimension that is not in this model.`);
		else if (selectMembers(dimension, selection, { variables }).length === 0)
			find('error', `${what}: the selection of ${dimension.name} is empty.`);
	}
}

function isThere(model: Model, dimension: number, reference: MemberReference, variables: ReadonlyMap<string, number>): boolean {
	const member = typeof reference === 'number' ? reference : reference === 'chosen' ? undefined : variables.get(reference.variable);
	return member !== undefined && model.dimension(dimension)?.ordinal(member) !== undefined;
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
