import { forPage } from '$lib/server/answer';
import { readChoices } from '$lib/server/form/open';
import { openView } from '$lib/server/insight';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url, depends }) => {
	depends('app:view');
	const choices = readChoices(url.searchParams);
	const view = await forPage(() => openView(locals.person, locals.modelId, params.code, choices));
	return { view, opened: view.opened, choices };
}) satisfies PageServerLoad;
