import { answer } from '$lib/server/answer';
import { memberTable } from '$lib/server/structure';

/** The members of a dimension, in its main hierarchy or the alternate that is named. */
export const GET = ({ locals, params, url }) =>
	answer(() => memberTable(locals.person, locals.modelId, params.code, url.searchParams.get('hierarchy') ?? undefined));
