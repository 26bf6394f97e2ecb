import { explainAccess, type AccessRules, type AccessSentence } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

export interface WhyCellAsk {
	rules: AccessRules;
	structure: number;
	/** Ids, in address order. */
	members: readonly number[];
	period: number;
}

/** Why a figure may be read and written by whoever the rules are of. */
export async function whyCell(
	{ model }: ModelEngine,
	{ rules, members, period }: WhyCellAsk
): Promise<{ read: AccessSentence[]; write: AccessSentence[] }> {
	const ordinals = model.dimensions.map((dimension, axis) => dimension.ordinal(members[axis] ?? -1));
	const at = model.periods.dimension.ordinal(period);
	if (members.length !== ordinals.length || at === undefined || ordinals.some((ordinal) => ordinal === undefined))
		throw new EngineFault('A member of this figure is not in the model any more. Choose it anew.');
	return explainAccess(model, rules, ordinals as number[], model.periods.range(at));
}
