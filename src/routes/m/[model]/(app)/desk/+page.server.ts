import { forPage } from '$lib/server/answer';
import { firstSteps, readDesk } from '$lib/server/desk';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	desk: await forPage(() => readDesk(locals.person, locals.modelId)),
	steps: await firstSteps(locals.person!, locals.modelId)
})) satisfies PageServerLoad;
