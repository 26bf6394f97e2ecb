import { forPage } from '$lib/server/answer';
import { listImports } from '$lib/server/import';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	imports: await forPage(() => listImports(locals.person, locals.modelId))
})) satisfies PageServerLoad;
