import { answer, readBody } from '$lib/server/answer';
import { connectionSchema, setConnection } from '$lib/server/import';

export const POST = ({ request, locals }) =>
	answer(async () => ({ connections: await setConnection(locals.person, await readBody(request, connectionSchema)) }));
