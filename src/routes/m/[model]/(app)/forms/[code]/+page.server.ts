import { redirect } from '@sveltejs/kit';
import { isViewCode } from '$lib/core';
import { forPage } from '$lib/server/answer';
import { openForm } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url }) => {
	// A kept view is read in the explorer, which shows its axes.
	if (isViewCode(params.code)) redirect(307, `/m/${params.model}/insight/explore/${params.code}${url.search}`);
	const choices = readChoices(url.searchParams);
	return { opened: await forPage(() => openForm(locals.person, locals.modelId, params.code, choices, { empty: true })), choices };
}) satisfies PageServerLoad;
