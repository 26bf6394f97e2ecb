import { redirect } from '@sveltejs/kit';
import { forPage } from '$lib/server/answer';
import { roundChoices, roundToDefine } from '$lib/server/cycle';
import { notFound } from '$lib/server/fault';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals: { person, modelId }, params }) => {
	const found = await forPage(async () => {
		const id = Number(params.round);
		if (!Number.isInteger(id) || id < 1 || id > 2 ** 31) throw notFound('round');
		return { round: await roundToDefine(person, modelId, id), choices: await roundChoices(person, modelId) };
	});
	if (found.round.state !== 'planned') redirect(303, `/m/${encodeURIComponent(params.model)}/cycle/${found.round.id}`);
	return found;
}) satisfies PageServerLoad;
