import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import {
	changeAccess,
	changeSchema,
	grantMatrix,
	invitePerson,
	matrixSchema,
	takeBackAccess,
	whoMay,
	whoMaySchema,
	whyFigure,
	whySchema
} from '$lib/server/access';
import { notFound } from '$lib/server/fault';

const one = z.object({ id: z.int() });

export const POST = ({ request, locals: { person, modelId }, params, url }) =>
	answer(async () => {
		switch (params.verb) {
			case 'change':
				return changeAccess(person, modelId, await readBody(request, changeSchema));
			case 'take-back':
				return takeBackAccess(person, modelId, (await readBody(request, one)).id);
			case 'invite':
				return invitePerson(person, (await readBody(request, one)).id, url.origin);
			case 'matrix':
				return grantMatrix(person, modelId, await readBody(request, matrixSchema));
			case 'why':
				return whyFigure(person, modelId, await readBody(request, whySchema));
			case 'who':
				return { people: await whoMay(person, modelId, await readBody(request, whoMaySchema)) };
			default:
				throw notFound('action');
		}
	});
