import { selectMembers } from '../dimension';
import type { Model } from '../model';
import type { Slice } from './definition';

/** By dimension (id) the members (ids) a limit names, the periods left out: the part of a model of which a snapshot is taken. */
export function snapshotPart(model: Model, limits: Slice, variables: ReadonlyMap<string, number>): Record<number, number[]> {
	const part: Record<number, number[]> = {};
	for (const [id, selection] of Object.entries(limits)) {
		const dimension = model.dimension(Number(id));
		if (!dimension || dimension === model.periods.dimension) continue;
		part[dimension.id] = [...selectMembers(dimension, selection, { variables })].map((ordinal) => dimension.member(ordinal).id);
	}
	return part;
}
