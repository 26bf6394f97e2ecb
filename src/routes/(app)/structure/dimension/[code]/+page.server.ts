import { forPage } from '$lib/server/answer';
import { readMembers } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params }) => ({
	dimension: await forPage(() => readMembers(locals.person, locals.modelId, params.code))
})) satisfies PageServerLoad;
