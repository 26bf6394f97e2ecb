import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { requirePermission } from '$lib/server/session';
import { crossRates, pastedRatesSchema, ratesSchema, previewRates, readPastedRates, setRates, undoRates } from '$lib/server/structure';

const pair = z.object({
	from: z.string().regex(/^[A-Z]{3}$/),
	to: z.string().regex(/^[A-Z]{3}$/),
	kind: z.enum(['average', 'closing', 'historical'])
});

export const POST = ({ request, locals: { person, modelId }, params }) =>
	answer(async () => {
		const set = Number(params.set);
		if (params.verb === 'set') return setRates(person, modelId, set, await readBody(request, ratesSchema));
		if (params.verb === 'preview') return previewRates(person, modelId, set, await readBody(request, ratesSchema));
		if (params.verb === 'undo') return undoRates(person, modelId, set, await readBody(request, z.object({ version: z.number().int() })));
		if (params.verb === 'cross') {
			const { from, to, kind } = await readBody(request, pair);
			return { months: await crossRates(person, modelId, set, from, to, kind) };
		}
		if (params.verb === 'read') {
			requirePermission(person, 'structure.write');
			return readPastedRates((await readBody(request, pastedRatesSchema)).grid, person?.locale ?? 'en-GB');
		}
		throw notFound('action');
	});
