import { redirect } from '@sveltejs/kit';
import { forPage } from '$lib/server/answer';
import { listRounds } from '$lib/server/cycle';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals: { person, modelId }, url, params }) => {
	const rounds = await forPage(() => listRounds(person, modelId));
	const running = rounds.filter(({ state }) => state === 'running');
	// The round one works in is what one comes for.
	if (running.length === 1 && !url.searchParams.has('all')) redirect(303, `/m/${encodeURIComponent(params.model)}/cycle/${running[0]!.id}`);
	return { rounds };
}) satisfies PageServerLoad;
