import { forPage } from '$lib/server/answer';
import { structureHistory } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	changes: await forPage(() => structureHistory(locals.person, locals.modelId, ['dimension']))
})) satisfies PageServerLoad;
