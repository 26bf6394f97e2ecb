import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { extendHorizon, extendSchema, renamePeriod, renamePeriodSchema } from '$lib/server/structure';

export const POST = ({ request, locals: { person, modelId }, params: { verb } }) =>
	answer(async () => {
		if (verb === 'extend') return extendHorizon(person, modelId, await readBody(request, extendSchema));
		if (verb === 'rename') return renamePeriod(person, modelId, await readBody(request, renamePeriodSchema));
		throw notFound('action');
	});
