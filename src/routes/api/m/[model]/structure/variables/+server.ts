import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { deleteVariable, setVariable, variableSchema } from '$lib/server/structure';

export const POST = ({ request, locals }) =>
	answer(async () => setVariable(locals.person, locals.modelId, await readBody(request, variableSchema)));

export const DELETE = ({ request, locals }) =>
	answer(async () => deleteVariable(locals.person, locals.modelId, (await readBody(request, z.object({ id: z.number().int() }))).id));
