import { forPage } from '$lib/server/answer';
import { dimensionChoices } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	choices: await forPage(() => dimensionChoices(locals.person, locals.modelId))
})) satisfies PageServerLoad;
