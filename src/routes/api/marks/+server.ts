import { answer, readBody } from '$lib/server/answer';
import { markChoiceSchema, setMarkChoice } from '$lib/server/session';

export const POST = ({ request, locals }) =>
	answer(async () => setMarkChoice(locals.person!.id, await readBody(request, markChoiceSchema)));
