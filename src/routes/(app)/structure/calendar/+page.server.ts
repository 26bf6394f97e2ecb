import { forPage } from '$lib/server/answer';
import { readCalendarPage } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	calendar: await forPage(() => readCalendarPage(locals.person, locals.modelId))
})) satisfies PageServerLoad;
