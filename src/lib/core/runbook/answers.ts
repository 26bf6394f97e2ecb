import type { Model } from '../model';
import type { ParameterValue } from '../script';
import type { Answers, ParameterDefinition } from './definition';

/** What parameters and variables are worth in a run, and what is wrong with the answers: by parameter, a sentence. */
export function resolveAnswers(
	model: Model,
	parameters: readonly ParameterDefinition[],
	answers: Answers
): { values: Map<string, ParameterValue>; variables: Map<string, number>; faults: Map<string, string> } {
	const values = new Map<string, ParameterValue>();
	const variables = new Map(model.variables);
	const faults = new Map<string, string>();
	for (const { name, member, number } of model.definition.variables ?? []) {
		if (number !== null) values.set(name, { kind: 'number', value: number });
		if (member === null) continue;
		const dimension = model.definition.dimensions.find(({ members }) => members.some(({ id }) => id === member));
		if (dimension) values.set(name, { kind: 'selection', dimension: dimension.id, selection: { kind: 'these', members: [member] } });
	}
	for (const parameter of parameters) {
		const answer = answers[parameter.name] ?? null;
		const isLeftOut = answer === null || answer === '' || (Array.isArray(answer) && answer.length === 0);
		if (isLeftOut) {
			faults.set(parameter.name, `Choose ${parameter.label || parameter.name}: nothing runs without it.`);
			continue;
		}
		switch (parameter.kind) {
			case 'number':
			case 'percent':
				if (typeof answer !== 'number' || !Number.isFinite(answer)) faults.set(parameter.name, `${parameter.label} is a number.`);
				else values.set(parameter.name, { kind: 'number', value: answer });
				break;
			case 'text':
				if (typeof answer === 'string') values.set(parameter.name, { kind: 'text', value: answer });
				else faults.set(parameter.name, `${parameter.label} is a text.`);
				break;
			case 'member':
			case 'members': {
				const dimension = parameter.dimension === null ? undefined : model.dimension(parameter.dimension);
				const members = (Array.isArray(answer) ? answer : [answer]) as (number | string)[];
				const gone = members.some((member) => typeof member !== 'number' || dimension?.ordinal(member) === undefined);
				if (!dimension || gone) faults.set(parameter.name, `What was chosen for ${parameter.label} is not there any more. Choose again.`);
				else {
					const ids = members as number[];
					values.set(parameter.name, { kind: 'selection', dimension: dimension.id, selection: { kind: 'these', members: ids } });
					if (ids.length === 1) variables.set(parameter.name, ids[0]!);
				}
				break;
			}
			default:
				parameter.kind satisfies never;
		}
	}
	return { values, variables, faults };
}

/** Answers as one text, the same for the same values: results are known by it. */
export const answersKey = (parameters: readonly ParameterDefinition[], answers: Answers): string =>
	JSON.stringify(parameters.map(({ name }) => [name, answers[name] ?? null] as const).sort(([one], [other]) => (one < other ? -1 : 1)));
