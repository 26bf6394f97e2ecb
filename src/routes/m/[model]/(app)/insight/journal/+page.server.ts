import { forPage } from '$lib/server/answer';
import { journalDesk, journalSchema, readActivity, readJournal } from '$lib/server/insight';
import { journalAsk } from '$lib/server/insight/journal-address';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, url }) =>
	forPage(async () => {
		const asked = journalAsk(url.searchParams) ?? journalSchema.parse({});
		const [page, desk, activity] = await Promise.all([
			readJournal(locals.person, locals.modelId, asked),
			journalDesk(locals.person, locals.modelId, asked.members),
			readActivity(locals.person, locals.modelId)
		]);
		return { asked, page, desk, activity };
	})) satisfies PageServerLoad;
