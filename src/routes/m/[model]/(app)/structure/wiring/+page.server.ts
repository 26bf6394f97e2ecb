import { forPage } from '$lib/server/answer';
import { readWiring } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	wiring: await forPage(() => readWiring(locals.person, locals.modelId))
})) satisfies PageServerLoad;
