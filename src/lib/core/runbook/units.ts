import type { StepKind } from './definition';

/** What of a step says how it is carried out with others; drafts have it too. */
type InOrder = { kind: StepKind; active: boolean; together?: boolean | undefined };

/** Whether a step is solved together with those next to it that are too. */
export const isSolvedTogether = <Any extends InOrder>(step: Any): step is Extract<Any, { kind: 'allocation' }> =>
	step.kind === 'allocation' && step.together === true;

/** Steps that are on, in their order: each by itself, those that are solved together with one another. */
export function unitsOf<Any extends InOrder>(steps: readonly Any[]): Any[][] {
	const units: Any[][] = [];
	for (const step of steps) {
		if (!step.active) continue;
		const last = units.at(-1);
		if (isSolvedTogether(step) && last && isSolvedTogether(last[0]!)) last.push(step);
		else units.push([step]);
	}
	return units;
}
