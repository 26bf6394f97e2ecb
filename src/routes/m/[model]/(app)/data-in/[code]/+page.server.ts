import { forPage } from '$lib/server/answer';
import { importHistory, listConnections, readBatch, readImport } from '$lib/server/import';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url }) => {
	const { person, modelId } = locals;
	const details = await forPage(() => readImport(person, modelId, params.code));
	const asked = Number(url.searchParams.get('batch') ?? details.batches[0]?.id ?? 0);
	const isBatch = url.searchParams.get('view') === 'batches' && Number.isSafeInteger(asked) && asked > 0;
	return {
		import: details,
		batch: isBatch ? await forPage(() => readBatch(person, modelId, asked)) : null,
		changes: url.searchParams.get('view') === 'source' ? await forPage(() => importHistory(person, modelId, params.code)) : [],
		connections: await forPage(() => listConnections(person))
	};
}) satisfies PageServerLoad;
