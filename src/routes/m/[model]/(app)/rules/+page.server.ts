import { forPage } from '$lib/server/answer';
import { latestRuns, listRunbooks } from '$lib/server/runbook';
import type { PageServerLoad } from './$types';

export const load = (({ locals }) =>
	forPage(async () => ({
		runbooks: await listRunbooks(locals.person, locals.modelId),
		runs: await latestRuns(locals.modelId)
	}))) satisfies PageServerLoad;
