import { forPage } from '$lib/server/answer';
import { listVariables, structureHistory } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	variables: await forPage(() => listVariables(locals.person, locals.modelId)),
	changes: await forPage(() => structureHistory(locals.person, locals.modelId, ['variable']))
})) satisfies PageServerLoad;
