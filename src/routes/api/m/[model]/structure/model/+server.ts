import { answer, readBody } from '$lib/server/answer';
import { createModel, newModelSchema } from '$lib/server/structure';

export const POST = ({ request, locals }) => answer(async () => createModel(locals.person, await readBody(request, newModelSchema)));
