import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { enterFigures } from '$lib/server/form';
import { entriesSchema } from '$lib/server/form/enter';
import { choicesSchema } from '$lib/server/form/open';

const body = z.object({ choices: choicesSchema, entries: entriesSchema });

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		const { choices, entries } = await readBody(request, body);
		return enterFigures(locals.person, locals.modelId, params.code, choices, entries);
	});
