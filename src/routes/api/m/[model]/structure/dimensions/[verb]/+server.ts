import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { addDimension, addDimensionSchema, previewDimension } from '$lib/server/structure';

/** What can be done to a model's list of dimensions, a verb each. */
export const POST = ({ request, locals: { person, modelId }, params: { verb } }) =>
	answer(async () => {
		switch (verb) {
			case 'preview':
				return previewDimension(person, modelId, await readBody(request, addDimensionSchema));
			case 'add':
				return addDimension(person, modelId, await readBody(request, addDimensionSchema));
			default:
				throw notFound('action');
		}
	});
