import type { AccessRules } from '../../../core';
import type { ModelEngine } from '../model-engine';

export interface ReadableAsk {
	rules: AccessRules;
	structure: number;
	/** Figures by their members (ids) in address order; what follows them, a period say, does not matter. */
	places: readonly (readonly number[])[];
}

/** Which figures a person may read, or something beneath them; of members that are gone none. */
export async function readable(engine: ModelEngine, { rules, places }: ReadableAsk): Promise<{ readable: boolean[] }> {
	const { model } = engine;
	const visible = engine.visibleOf(rules);
	return {
		readable: places.map((place) => {
			if (!visible) return true;
			const ordinals = model.dimensions.map((dimension, axis) => dimension.ordinal(place[axis]!));
			return ordinals.every((ordinal) => ordinal !== undefined) && visible.reachesCell(ordinals);
		})
	};
}

export interface ReachedAsk {
	rules: AccessRules;
	structure: number;
	/** An id, and members of it (ids). */
	dimension: number;
	members: readonly number[];
}

/** Of which members a person may read something at all. */
export async function reached(engine: ModelEngine, { rules, dimension, members }: ReachedAsk): Promise<{ reached: boolean[] }> {
	const visible = engine.visibleOf(rules);
	const axis = engine.model.dimensions.findIndex(({ id }) => id === dimension);
	return {
		reached: members.map((member) => {
			const ordinal = axis < 0 ? undefined : engine.model.dimensions[axis]!.ordinal(member);
			return !visible || axis < 0 || (ordinal !== undefined && visible.reaches(axis, ordinal));
		})
	};
}
