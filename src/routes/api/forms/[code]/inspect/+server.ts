import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { inspectFigure } from '$lib/server/form';
import { choicesSchema } from '$lib/server/form/open';

const body = z.object({ choices: choicesSchema, row: z.number().int().min(0), column: z.number().int().min(0) });

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		const { choices, row, column } = await readBody(request, body);
		return inspectFigure(locals.person, locals.modelId, params.code, choices, row, column);
	});
