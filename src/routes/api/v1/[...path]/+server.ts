import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/answer';
import { answerProgram, openApiDocument } from '$lib/server/programs';
import type { RequestHandler } from './$types';

/** What programs ask with an access token; what there is to ask says `openapi.json`, to everybody. */
const handle: RequestHandler = async ({ request, locals, params, url }) => {
	if (request.method === 'GET' && params.path === 'openapi.json') return json(openApiDocument(url.origin));
	let status = 200;
	const response = await answer(async () => {
		const done = await answerProgram(locals.holder, locals.models, { request, path: params.path, search: url.searchParams });
		status = done.status;
		return done.answer;
	});
	if (response.status === 401) response.headers.set('www-authenticate', 'Bearer');
	return response.ok && status !== 200 ? new Response(response.body, { status, headers: response.headers }) : response;
};

export const GET = handle;
export const POST = handle;
