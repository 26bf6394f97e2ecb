import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { keepFile } from '$lib/server/import';
import { Readable } from 'node:stream';

/** Keeps a file: it is the body; its name, and the import it is for, travel in the query. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		const name = (url.searchParams.get('name') ?? 'file').slice(0, 200);
		if (!request.body) throw new Fault(400, 'no file', 'Choose a file to load.');
		return keepFile(locals.person, locals.modelId, url.searchParams.get('import'), name, Readable.fromWeb(request.body as never));
	});
