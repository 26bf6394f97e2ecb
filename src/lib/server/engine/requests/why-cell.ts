import { explainAccess, type AccessRules, type AccessSentence } from '../../../core';
import { EngineFault } from '../fault';
import type { ModelEngine } from '../model-engine';

interface Figure {
	structure: number;
	/** Ids, in address order. */
	members: readonly number[];
	period: number;
}
export type WhyCellAsk = Figure & { rules: AccessRules };
export type WhyCellsAsk = Figure & { rules: readonly AccessRules[] };

export interface WhyCellAnswer {
	read: AccessSentence[];
	write: AccessSentence[];
}

/** Why a figure may be read and written by whoever the rules are of. */
export const whyCell = async (engine: ModelEngine, { rules, ...figure }: WhyCellAsk): Promise<WhyCellAnswer> =>
	(await whyCells(engine, { ...figure, rules: [rules] })).verdicts[0]!;

/** The same of several people's rules. */
export async function whyCells(
	{ model, locks }: ModelEngine,
	{ rules, members, period }: WhyCellsAsk
): Promise<{ verdicts: WhyCellAnswer[] }> {
	const ordinals = model.dimensions.map((dimension, axis) => dimension.ordinal(members[axis] ?? -1));
	const at = model.periods.dimension.ordinal(period);
	if (members.length !== ordinals.length || at === undefined || ordinals.some((ordinal) => ordinal === undefined))
		throw new EngineFault('A member of this figure is not in the model any more. Choose it anew.');
	const range = model.periods.range(at);
	return { verdicts: rules.map((each) => explainAccess(model, each, locks, ordinals as number[], range)) };
}
