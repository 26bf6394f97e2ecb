import type { Model } from './model';

/** Where a scenario's figures come from in a leaf period. */
export interface Continuation {
	/** Ordinal of the scenario that speaks about the period. */
	scenario: number;
	/** Whether that is another scenario than the one asked for: readers are told. */
	crossed: boolean;
}

/**
 * The scenario that speaks about a leaf period: the one asked for within its span, before it the one it continues from,
 * and so on (Budget FY2028 from Outlook, from Actual). Undefined where none does, after the span, or where scenarios
 * continue from each other in a circle.
 */
export function continuationOf(model: Model, scenario: number, period: number): Continuation | undefined {
	const seen = new Set<number>();
	for (let at: number | undefined = scenario; at !== undefined && !seen.has(at);) {
		seen.add(at);
		const found = model.scenario(at);
		if (!found || period > found.span.to) return undefined;
		if (period >= found.span.from) return { scenario: at, crossed: at !== scenario };
		const before: number | null = found.definition.continuesFrom;
		at = before === null ? undefined : model.scenarios.ordinal(before);
	}
	return undefined;
}

/** By scenario (ordinal): those that continue from it, directly or through others. A circle ends where it began. */
export function laterScenarios(model: Model): Map<number, number[]> {
	const later = new Map<number, number[]>();
	for (const scenario of model.scenarios.members.keys())
		for (const earlier of earlierScenarios(model, scenario)) later.set(earlier, [...(later.get(earlier) ?? []), scenario]);
	return later;
}

/** The scenarios (ordinals) a scenario continues from, the nearest first. */
export function earlierScenarios(model: Model, scenario: number): number[] {
	const found: number[] = [];
	for (let at = scenario; ;) {
		const from = model.scenario(at)?.definition.continuesFrom ?? null;
		const earlier = from === null ? undefined : model.scenarios.ordinal(from);
		if (earlier === undefined || earlier === scenario || found.includes(earlier)) return found;
		found.push(earlier);
		at = earlier;
	}
}

/** All scenarios (ordinals), each after those it continues from. */
export const inContinuation = (model: Model): number[] =>
	[...model.scenarios.members.keys()].sort((one, other) => earlierScenarios(model, one).length - earlierScenarios(model, other).length);
