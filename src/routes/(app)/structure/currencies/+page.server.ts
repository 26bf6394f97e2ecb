import { forPage } from '$lib/server/answer';
import { readRates } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	rates: await forPage(() => readRates(locals.person, locals.modelId))
})) satisfies PageServerLoad;
