import { checkScript, operandsIn, printScript, type Assignment, type Scope } from '../../script';
import type { Model } from '../../model';
import type { FormulaStep } from '../definition';
import { scopeOf } from '../slice';
import type { StepRecord } from './kind';
import { flags, unionOfPeriods, withAccounts } from './scopes';

/** A script, worked out statement by statement. */
export const formula: StepRecord<FormulaStep> = {
	title: 'Formula',
	firstName: 'Formula',
	blank: { kind: 'formula', text: '' },
	unlimited: 'Wherever it leads',
	originMode: () => 'sets',
	check: (model, step, { values, variables, names, find, writes }) => {
		for (const { dimension, member, from, to } of step.script.names)
			if (model.dimension(dimension)?.ordinal(member) === undefined)
				find('error', `“${step.script.text.slice(from, to)}” is not there any more.`, step.script.text.slice(0, from).split('\n').length);
		const text = printScript(model, step.script, names);
		const { faults, assignments } = checkScript(model, text, { names, parameters: values, scope: scopeOf(model, step.limits, variables) });
		for (const { from, message } of faults) find('error', message, text.slice(0, from).split('\n').length);
		for (const assignment of assignments) {
			writes(assignment.account);
			const line = text.slice(0, assignment.from).split('\n').length;
			if ([...assignment.scope.axes.values()].some((allowed) => !allowed.includes(1)) || assignment.scope.periods?.includes(1) === false)
				find('error', 'The scope of this statement is empty: nothing would be written.', line);
		}
	},
	reach: (model, step, { values, variables, names }) => {
		const text = printScript(model, step.script, names());
		const checked = checkScript(model, text, { names: names(), parameters: values, scope: scopeOf(model, step.limits, variables) });
		const writes = checked.assignments.map(({ account, scope }) => withAccounts(model, scope, [account]));
		return {
			writes,
			reads: checked.assignments.flatMap((assignment) => readsOfAssignment(model, assignment)),
			periods: unionOfPeriods(writes),
			script: { checked, text }
		};
	},
	run: (work, _, { script }) => {
		const { checked, text } = script!;
		const first = checked.faults[0];
		if (first) throw work.fault(`line ${text.slice(0, first.from).split('\n').length}: ${first.message}`);
		work.assign(checked.assignments);
		for (const [why, accounts] of checked.passedOver)
			work.note(`${accounts === 1 ? 'One account was' : `${accounts} accounts were`} passed over: ${why}.`);
	},
	renamed: (own, { member }) =>
		'script' in own
			? { ...own, script: { ...own.script, names: own.script.names.map((use) => ({ ...use, member: member(use.member) })) } }
			: own,
	inWords: ({ text }) => {
		const targets = [...text.matchAll(/^\s*("[^"]+"|[\p{L}_][\p{L}\p{N}_]*)(?:\{[^}]*\})?\s*=/gmu)]
			.map(([, name]) => name!.replaceAll('"', ''))
			.filter((name) => name !== 'let');
		return targets.length === 0 ? 'Writes nothing yet' : `Computes ${[...new Set(targets)].join(', ')}`;
	}
};

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
