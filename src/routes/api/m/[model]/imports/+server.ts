import { answer, readBody } from '$lib/server/answer';
import { createImport, newImportSchema } from '$lib/server/import';

export const POST = ({ request, locals }) =>
	answer(async () => createImport(locals.person, locals.modelId, await readBody(request, newImportSchema)));
