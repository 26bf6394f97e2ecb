import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { loadFile, MOST_BYTES } from '$lib/server/import';

/** The file is the body; its name travels in the query. */
export const POST = ({ request, locals, params, url }) =>
	answer(async () => {
		const name = (url.searchParams.get('name') ?? 'file').slice(0, 200);
		if (Number(request.headers.get('content-length') ?? 0) > MOST_BYTES)
			throw new Fault(
				413,
				'too large',
				`The file is larger than ${MOST_BYTES / 1024 / 1024} MB. Split it by month or line and load the parts.`
			);
		if (!request.body) throw new Fault(400, 'no file', 'Choose a file to load.');
		return loadFile(locals.person, locals.modelId, params.code, name, request.body);
	});
