import { forPage } from '$lib/server/answer';
import { listDimensions } from '$lib/server/structure';
import type { LayoutServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	dimensions: await forPage(() => listDimensions(locals.person, locals.modelId))
})) satisfies LayoutServerLoad;
