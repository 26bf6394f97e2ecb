import { forPage } from '$lib/server/answer';
import { readBatch, readImport } from '$lib/server/import';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url }) => {
	const details = await forPage(() => readImport(locals.person, locals.modelId, params.code));
	const asked = Number(url.searchParams.get('batch') ?? details.batches[0]?.id ?? 0);
	const batch = Number.isSafeInteger(asked) && asked > 0 ? await forPage(() => readBatch(locals.person, locals.modelId, asked)) : null;
	return { import: details, batch };
}) satisfies PageServerLoad;
