import { answer, readBody } from '$lib/server/answer';
import { addRateSet, rateSetSchema } from '$lib/server/structure';

export const POST = ({ request, locals }) =>
	answer(async () => ({ id: await addRateSet(locals.person, locals.modelId, await readBody(request, rateSetSchema)) }));
