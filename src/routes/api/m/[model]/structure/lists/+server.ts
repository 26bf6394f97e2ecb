import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { deleteChoiceList, listSchema, makeChoiceList } from '$lib/server/structure';

export const POST = ({ request, locals }) =>
	answer(async () => makeChoiceList(locals.person, locals.modelId, await readBody(request, listSchema)));

export const DELETE = ({ request, locals }) =>
	answer(async () =>
		deleteChoiceList(locals.person, locals.modelId, (await readBody(request, z.object({ code: z.string().max(80) }))).code)
	);
