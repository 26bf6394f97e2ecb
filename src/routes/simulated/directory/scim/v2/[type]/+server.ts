import { json } from '@sveltejs/kit';
import { directoryPage, isDirectoryToken } from '$lib/server/simulated/directory';

/** The simulated directory's answer to whoever knows its token. */
export function GET({ request, url, params }) {
	const token = /^Bearer (.+)$/.exec(request.headers.get('authorization') ?? '')?.[1] ?? '';
	if (!isDirectoryToken(token)) return json({ detail: 'unauthorized', status: '401' }, { status: 401 });
	const page = directoryPage(params.type, url.searchParams);
	return page
		? json(page, { headers: { 'content-type': 'application/scim+json' } })
		: json({ detail: 'not found', status: '404' }, { status: 404 });
}
