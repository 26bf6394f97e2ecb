import { forPage } from '$lib/server/answer';
import { readRates, structureHistory } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	rates: await forPage(() => readRates(locals.person, locals.modelId)),
	changes: await forPage(() => structureHistory(locals.person, locals.modelId, ['rate set']))
})) satisfies PageServerLoad;
