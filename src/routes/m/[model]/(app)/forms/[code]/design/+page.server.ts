import { forPage } from '$lib/server/answer';
import { readDesign } from '$lib/server/form';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params }) => ({
	opened: await forPage(() => readDesign(locals.person, locals.modelId, params.code))
})) satisfies PageServerLoad;
