import { mapSelection } from '../dimension';
import type { ParameterDefinition } from './definition';

/** A parameter with other numbers for the members it names. */
export function renamedParameter(parameter: ParameterDefinition, member: (id: number) => number): ParameterDefinition {
	const { kind, choices, initial } = parameter;
	if (kind !== 'member' && kind !== 'members') return parameter;
	return {
		...parameter,
		choices: choices && mapSelection(choices, member),
		initial: Array.isArray(initial) ? initial.map(member) : typeof initial === 'number' ? member(initial) : initial
	};
}

/** The members (ids) a parameter names. */
export function membersOfParameter(parameter: ParameterDefinition): Set<number> {
	const found = new Set<number>();
	renamedParameter(parameter, (id) => (found.add(id), id));
	return found;
}
