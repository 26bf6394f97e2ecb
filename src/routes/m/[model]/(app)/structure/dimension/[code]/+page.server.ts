import { forPage } from '$lib/server/answer';
import { memberTable } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

/** Large dimensions are fetched by the page itself: as page data they would travel twice. */
const MOST_WITH_THE_PAGE = 3_000;

export const load = (async ({ locals, params, parent }) => {
	const { dimensions, lists } = await parent();
	const list = lists.find(({ code }) => code === params.code);
	const large = dimensions.some(({ code, members }) => code === params.code && members > MOST_WITH_THE_PAGE);
	return {
		code: params.code,
		name: (list ?? dimensions.find(({ code }) => code === params.code))?.name ?? '',
		list: list !== undefined,
		table: large ? null : await forPage(() => memberTable(locals.person, locals.modelId, params.code))
	};
}) satisfies PageServerLoad;
