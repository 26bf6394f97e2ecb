import { drivenAccounts, listBoards, listViews } from '$lib/server/insight';
import { forPage } from '$lib/server/answer';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) =>
	forPage(async () => ({
		boards: await listBoards(locals.person, locals.modelId),
		views: await listViews(locals.person, locals.modelId),
		driven: await drivenAccounts(locals.person, locals.modelId)
	}))) satisfies PageServerLoad;
