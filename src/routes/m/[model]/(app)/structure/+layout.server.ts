import { forPage } from '$lib/server/answer';
import { listChoiceLists, listDimensions } from '$lib/server/structure';
import type { LayoutServerLoad } from './$types';

export const load = (async ({ locals, depends }) => {
	depends('structure:dimensions');
	return {
		dimensions: await forPage(() => listDimensions(locals.person, locals.modelId)),
		lists: await forPage(() => listChoiceLists(locals.person, locals.modelId))
	};
}) satisfies LayoutServerLoad;
