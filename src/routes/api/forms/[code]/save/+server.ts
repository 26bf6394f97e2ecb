import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { saveDraft } from '$lib/server/form';
import { decisionsSchema } from '$lib/server/form/save';

const body = z.object({ decisions: decisionsSchema });

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		const { decisions } = await readBody(request, body);
		return saveDraft(locals.person, locals.modelId, params.code, decisions);
	});
