import { answer, readBody } from '$lib/server/answer';
import { formulaSchema, readFormula, setFormula } from '$lib/server/structure';

export const GET = ({ locals, url }) => answer(() => readFormula(locals.person, locals.modelId, Number(url.searchParams.get('account'))));

export const POST = ({ request, locals }) =>
	answer(async () => setFormula(locals.person, locals.modelId, await readBody(request, formulaSchema)));
