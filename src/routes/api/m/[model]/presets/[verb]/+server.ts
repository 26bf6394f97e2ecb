import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { deletePreset, savePreset, usesOfPreset } from '$lib/server/runbook';
import { presetSchema } from '$lib/server/runbook/presets';

const one = z.object({ id: z.number().int() });

export const POST = ({ request, locals: { person, modelId }, params }) =>
	answer(async () => {
		switch (params.verb) {
			case 'uses':
				return usesOfPreset(person, modelId, (await readBody(request, one)).id);
			case 'save':
				return savePreset(person, modelId, await readBody(request, presetSchema));
			case 'delete':
				return deletePreset(person, modelId, (await readBody(request, one)).id);
			default:
				throw notFound('action');
		}
	});
