import { forPage } from '$lib/server/answer';
import { listDimensions } from '$lib/server/structure';
import type { LayoutServerLoad } from './$types';

export const load = (async ({ locals, depends }) => {
	depends('structure:dimensions');
	return { dimensions: await forPage(() => listDimensions(locals.person, locals.modelId)) };
}) satisfies LayoutServerLoad;
