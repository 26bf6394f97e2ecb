import { forPage } from '$lib/server/answer';
import { readDesign } from '$lib/server/form';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	opened: await forPage(() => readDesign(locals.person, locals.modelId, null))
})) satisfies PageServerLoad;
