import { forPage } from '$lib/server/answer';
import { newModelChoices } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	choices: await forPage(() => newModelChoices(locals.person, locals.models))
})) satisfies PageServerLoad;
