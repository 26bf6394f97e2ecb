import { forPage } from '$lib/server/answer';
import { listImports } from '$lib/server/import';
import { listDimensions } from '$lib/server/structure';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	imports: await forPage(() => listImports(locals.person, locals.modelId)),
	dimensions: locals.person?.permissions.includes('structure.write')
		? (await forPage(() => listDimensions(locals.person, locals.modelId))).filter(({ kind }) => kind !== 'period')
		: []
})) satisfies PageServerLoad;
