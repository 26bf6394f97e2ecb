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

/** The members a run was for, as ids, by the name of the parameter or variable that named them. */
export type MembersNamed = Readonly<Record<string, readonly number[]>>;

/**
 * The members that answers and variables name: results are kept apart by them. Numbers, percents and texts are not among
 * them, so that a run with another percent replaces the one before.
 * @param variables members (ids) by the name of their variable
 * @param asked the names that the steps ask for
 */
export function membersNamed(
	parameters: readonly ParameterDefinition[],
	answers: Answers,
	variables: ReadonlyMap<string, number>,
	asked: ReadonlySet<string>
): MembersNamed {
	const named: Record<string, readonly number[]> = {};
	// A parameter goes before a variable of its name.
	const own = new Set(parameters.map(({ name }) => name));
	for (const [name, member] of variables) if (asked.has(name) && !own.has(name)) named[name] = [member];
	for (const { name, kind } of parameters) {
		const answer = answers[name] ?? null;
		if ((kind === 'member' || kind === 'members') && answer !== null && answer !== '')
			named[name] = (Array.isArray(answer) ? [...(answer as readonly number[])] : [answer as number]).sort((one, other) => one - other);
	}
	return named;
}

/** The same as one text, equal for equal members. */
export const namedKey = (named: MembersNamed): string =>
	JSON.stringify(Object.entries(named).sort(([one], [other]) => (one < other ? -1 : 1)));

/** Reads what `namedKey` wrote; a text of another kind names nobody. */
export function readNamedKey(key: string): MembersNamed {
	try {
		const entries: unknown = JSON.parse(key);
		if (!Array.isArray(entries)) return {};
		return Object.fromEntries(
			entries.filter(
				(entry): entry is [string, number[]] => Array.isArray(entry) && typeof entry[0] === 'string' && Array.isArray(entry[1])
			)
		);
	} catch {
		return {};
	}
}

/** The names of variables and parameters that steps ask for: in slices, targets and factors, and with a $ in scripts. */
export function namesAsked(steps: readonly unknown[]): Set<string> {
	const names = new Set<string>();
	const look = (value: unknown): void => {
		if (Array.isArray(value)) return value.forEach(look);
		if (typeof value !== 'object' || value === null) return;
		for (const [key, part] of Object.entries(value)) {
			if ((key === 'variable' || key === 'parameter') && typeof part === 'string') names.add(part);
			else if (key === 'text' && typeof part === 'string')
				for (const [, name] of part.matchAll(/\$([\p{L}_][\p{L}\d_]*)/gu)) names.add(name!);
			else look(part);
		}
	};
	look(steps);
	return names;
}

/** Where two runs of a runbook meet: by dimension (id) the leaves both were for; undefined where they have none in common. */
export function whereBothRan(model: Model, now: MembersNamed, then: MembersNamed): Map<number, Overlap> | undefined {
	const overlaps = new Map<number, Overlap>();
	for (const [name, members] of Object.entries(now)) {
		const before = then[name];
		const dimension = model.definition.dimensions.find((each) => each.members.some(({ id }) => id === members[0]));
		if (!before || !dimension) continue;
		const of = model.dimension(dimension.id)!;
		const leaves = (ids: readonly number[]) =>
			new Set(ids.flatMap((id) => (of.ordinal(id) === undefined ? [] : of.leavesOf(of.ordinal(id)!))));
		const [mine, theirs] = [leaves(members), leaves(before)];
		const both = new Set([...mine].filter((leaf) => theirs.has(leaf)));
		if (both.size === 0) return undefined;
		const known = overlaps.get(dimension.id);
		overlaps.set(dimension.id, known ? { both: union(known.both, both), then: union(known.then, theirs) } : { both, then: theirs });
	}
	return overlaps;
}

/** Leaves (ordinals) that an earlier run was for, and those of them the present one is for too. */
export interface Overlap {
	both: ReadonlySet<number>;
	then: ReadonlySet<number>;
}

const union = <Item>(one: ReadonlySet<Item>, other: ReadonlySet<Item>): Set<Item> => new Set([...one, ...other]);
