import { forPage } from '$lib/server/answer';
import { openForm } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url }) => {
	const choices = readChoices(url.searchParams);
	return { opened: await forPage(() => openForm(locals.person, locals.modelId, params.code, choices, { empty: true })), choices };
}) satisfies PageServerLoad;
