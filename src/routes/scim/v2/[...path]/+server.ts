import { answerDirectory, refuse } from '$lib/server/directory';
import { limitBody } from '$lib/server/gate';
import type { RequestHandler } from './$types';

/** People and groups as a directory pushes them. */
const answer: RequestHandler = async ({ request, locals, params, url }) => {
	const { holder, person } = locals;
	if (!holder?.scopes.includes('people'))
		return refuse(401, 'Send an access token for people and groups, as a bearer token in the heading “Authorization”.');
	return answerDirectory(person, {
		request: limitBody(request, { bytes: 4 * 1024 ** 2, words: 'This is more than % at once.' }),
		path: params.path,
		search: url.searchParams,
		base: `${url.origin}/scim/v2`
	});
};

export const GET = answer;
export const POST = answer;
export const PUT = answer;
export const PATCH = answer;
export const DELETE = answer;
