import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { openForm } from '$lib/server/form';
import { choicesSchema } from '$lib/server/form/open';

const body = z.object({ choices: choicesSchema });

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		const { choices } = await readBody(request, body);
		return openForm(locals.person, locals.modelId, params.code, choices);
	});
