import { forPage } from '$lib/server/answer';
import { dimensionChoices, returnableDimension, structureHistory } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals: { person, modelId } }) => ({
	choices: await forPage(() => dimensionChoices(person, modelId)),
	returnable: await forPage(() => returnableDimension(person, modelId)),
	changes: await forPage(() => structureHistory(person, modelId, ['dimension']))
})) satisfies PageServerLoad;
