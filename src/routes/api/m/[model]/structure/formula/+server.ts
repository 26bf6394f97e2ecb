import { answer, readBody } from '$lib/server/answer';
import { formulaSchema, readFormulas, setFormulas } from '$lib/server/structure';

export const GET = ({ locals, url }) => answer(() => readFormulas(locals.person, locals.modelId, Number(url.searchParams.get('account'))));

export const POST = ({ request, locals }) =>
	answer(async () => setFormulas(locals.person, locals.modelId, await readBody(request, formulaSchema)));
