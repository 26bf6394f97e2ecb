import { selectMembers } from '../dimension';
import type { Model } from '../model';
import type { Slice } from './definition';

/** Finds what is wrong with a slice: a dimension that is not the model's, a selection that is empty. */
export function checkSlice(
	model: Model,
	slice: Slice,
	variables: ReadonlyMap<string, number>,
	what: string,
	find: (severity: 'error' | 'hint', message: string) => void
): void {
	for (const [id, selection] of Object.entries(slice)) {
		const dimension = model.dimension(Number(id));
		if (!dimension) find('error', `${what} name a dimension that is not in this model.`);
		else if (selectMembers(dimension, selection, { variables }).length === 0)
			find('error', `${what}: the selection of ${dimension.name} is empty.`);
	}
}
