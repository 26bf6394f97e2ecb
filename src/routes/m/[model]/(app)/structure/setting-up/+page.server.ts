import { forPage } from '$lib/server/answer';
import { settingUp } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) =>
	forPage(async () => ({ steps: await settingUp(locals.person, locals.modelId) }))) satisfies PageServerLoad;
