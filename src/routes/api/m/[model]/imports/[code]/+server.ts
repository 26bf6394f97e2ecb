import { answer } from '$lib/server/answer';
import { readImport } from '$lib/server/import';

export const GET = ({ locals, params }) => answer(() => readImport(locals.person, locals.modelId, params.code));
