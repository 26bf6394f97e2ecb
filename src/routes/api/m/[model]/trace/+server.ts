import { answer, readBody } from '$lib/server/answer';
import { traceFigure, traceSchema } from '$lib/server/runbook';

/** Where a figure comes from, one stage back. */
export const POST = ({ request, locals: { person, modelId } }) =>
	answer(async () => traceFigure(person, modelId, await readBody(request, traceSchema)));
