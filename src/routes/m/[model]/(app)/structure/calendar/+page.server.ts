import { forPage } from '$lib/server/answer';
import { readCalendarPage, structureHistory } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	calendar: await forPage(() => readCalendarPage(locals.person, locals.modelId)),
	changes: await forPage(() => structureHistory(locals.person, locals.modelId, ['calendar']))
})) satisfies PageServerLoad;
