import { answer, readBody } from '$lib/server/answer';
import { cellSchema, rowsOfCell } from '$lib/server/import';

/** The rows of files behind a leaf cell. */
export const POST = ({ request, locals }) =>
	answer(async () => ({ batches: await rowsOfCell(locals.person, locals.modelId, await readBody(request, cellSchema)) }));
