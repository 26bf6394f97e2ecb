import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { keepFile, MOST_BYTES } from '$lib/server/import';
import { Readable } from 'node:stream';

/** Keeps a file: it is the body; its name, and the import it is for, travel in the query. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		const name = (url.searchParams.get('name') ?? 'file').slice(0, 200);
		if (Number(request.headers.get('content-length') ?? 0) > MOST_BYTES)
			throw new Fault(
				413,
				'too large',
				`The file is larger than ${MOST_BYTES / 1024 ** 3} GB. Split it by month or line and load the parts.`
			);
		if (!request.body) throw new Fault(400, 'no file', 'Choose a file to load.');
		return keepFile(locals.person, locals.modelId, url.searchParams.get('import'), name, Readable.fromWeb(request.body as never));
	});
