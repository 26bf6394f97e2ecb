import { forPage } from '$lib/server/answer';
import { readCurrencies } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	rates: await forPage(() => readCurrencies(locals.person, locals.modelId))
})) satisfies PageServerLoad;
