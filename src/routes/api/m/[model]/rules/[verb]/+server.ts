import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { checkAllRunbooks, checkScriptText, createRunbook } from '$lib/server/runbook';
import { newRunbookSchema, scriptSchema } from '$lib/server/runbook/edit';

export const POST = ({ request, locals: { person, modelId }, params }) =>
	answer(async () => {
		switch (params.verb) {
			case 'create':
				return createRunbook(person, modelId, await readBody(request, newRunbookSchema));
			case 'check':
				await readBody(request, z.object({}));
				return { findings: await checkAllRunbooks(person, modelId) };
			case 'script':
				return checkScriptText(person, modelId, await readBody(request, scriptSchema));
			default:
				throw notFound('action');
		}
	});
