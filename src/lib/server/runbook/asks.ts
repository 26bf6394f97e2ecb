import type { Answers, ParameterDefinition } from '../../core';
import { pool } from '../database';
import { modelVersions } from '../database/structure-version';
import { askEngine } from '../engine';
import { requirePermission, type SignedIn } from '../session';
import { readStored, type StoredRunbook } from './read';
import { lastAnswers } from './start';

/** Something a runbook asks for before it runs. */
export type RunAsk = Pick<ParameterDefinition, 'name' | 'label' | 'kind'> & {
	options: { id: number; name: string }[];
	answer: Answers[string];
};

/** The same of a runbook by its id, for who may look at rules. */
export async function readAsks(person: SignedIn | undefined, modelId: number, id: number): Promise<{ asks: RunAsk[] }> {
	const runner = requirePermission(person, 'rule.read');
	return { asks: await asksOf(runner, modelId, await readStored(pool(), modelId, id)) };
}

/** Members offered for one question. */
const MOST_OPTIONS = 500;

/**
 * What a runbook asks a person for, with what they answered last.
 * @param isGiven what need not be asked
 */
export async function asksOf(
	person: SignedIn,
	modelId: number,
	{ id, parameters }: Pick<StoredRunbook, 'id' | 'parameters'>,
	isGiven: (parameter: ParameterDefinition) => boolean = () => false
): Promise<RunAsk[]> {
	const { structure } = await modelVersions(pool(), modelId);
	const last = await lastAnswers(person, id);
	const asks: RunAsk[] = [];
	for (const parameter of parameters) {
		const { name, label, kind, dimension, choices, initial } = parameter;
		if (isGiven(parameter)) continue;
		const asked = { dimension, selection: choices ?? { kind: 'all' as const }, chosen: undefined, structure };
		const options = dimension === null ? [] : (await askEngine(modelId, 'select', { ...asked, dimension })).members;
		asks.push({
			name,
			label,
			kind,
			options: options.slice(0, MOST_OPTIONS).map(({ id, name }) => ({ id, name })),
			answer: last[name] ?? initial
		});
	}
	return asks;
}
