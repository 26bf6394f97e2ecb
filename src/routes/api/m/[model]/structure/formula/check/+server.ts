import { answer, readBody } from '$lib/server/answer';
import { checkFormulaText, formulaTextSchema } from '$lib/server/structure';

export const POST = ({ request, locals }) =>
	answer(async () => checkFormulaText(locals.person, locals.modelId, await readBody(request, formulaTextSchema)));
