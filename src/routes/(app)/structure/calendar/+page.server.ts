import { forPage } from '$lib/server/answer';
import { readCalendar } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	calendar: await forPage(() => readCalendar(locals.person, locals.modelId))
})) satisfies PageServerLoad;
