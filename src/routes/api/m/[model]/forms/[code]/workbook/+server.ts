import { answer } from '$lib/server/answer';
import { readWorkbook } from '$lib/server/form';

/** A workbook of the form that comes back: what it would do. */
export const POST = ({ request, locals, params }) =>
	answer(async () => {
		return readWorkbook(locals.person, locals.modelId, params.code, Buffer.from(await request.arrayBuffer()));
	});
