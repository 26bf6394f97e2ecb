import { forPage } from '$lib/server/answer';
import { listVariables } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	variables: await forPage(() => listVariables(locals.person, locals.modelId))
})) satisfies PageServerLoad;
