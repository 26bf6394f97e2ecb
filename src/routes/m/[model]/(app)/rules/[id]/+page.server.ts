import { forPage } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { lastAnswers, readRunbook } from '$lib/server/runbook';
import type { PageServerLoad } from './$types';

export const load = (({ locals, params }) =>
	forPage(async () => {
		const id = Number(params.id);
		if (!Number.isInteger(id)) throw notFound('runbook');
		return { runbook: await readRunbook(locals.person, locals.modelId, id), answers: await lastAnswers(locals.person!, id) };
	})) satisfies PageServerLoad;
