import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	addDimension,
	addDimensionSchema,
	previewDimension,
	previewTakeOut,
	putDimensionBack,
	takeOutDimension,
	takeOutSchema
} from '$lib/server/structure';

/** What can be done to a model's list of dimensions, a verb each. */
export const POST = ({ request, locals: { person, modelId }, params: { verb } }) =>
	answer(async () => {
		switch (verb) {
			case 'preview':
				return previewDimension(person, modelId, await readBody(request, addDimensionSchema));
			case 'add':
				return addDimension(person, modelId, await readBody(request, addDimensionSchema));
			case 'look-without':
				return previewTakeOut(person, modelId, (await readBody(request, takeOutSchema)).dimension);
			case 'take-out':
				return takeOutDimension(person, modelId, (await readBody(request, takeOutSchema)).dimension);
			case 'put-back':
				return putDimensionBack(person, modelId);
			default:
				throw notFound('action');
		}
	});
