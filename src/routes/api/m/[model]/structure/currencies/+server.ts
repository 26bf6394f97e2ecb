import { answer, readBody } from '$lib/server/answer';
import { addModelCurrency, modelCurrencySchema } from '$lib/server/structure';

/** Adds a currency to the model. */
export const POST = ({ request, locals }) =>
	answer(async () => addModelCurrency(locals.person, locals.modelId, await readBody(request, modelCurrencySchema)));
