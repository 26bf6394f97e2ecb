import { answer } from '$lib/server/answer';
import { requirePermission } from '$lib/server/session';
import { MOST_FILE_BYTES, readSheet } from '$lib/server/structure';
import { Fault } from '$lib/server/fault';

/** An uploaded file as a grid, for the same preview as a paste. The file is the body; its name travels in the query. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		requirePermission(locals.person, 'structure.write');
		if (Number(request.headers.get('content-length') ?? 0) > MOST_FILE_BYTES)
			throw new Fault(413, 'too large', `The file is larger than ${MOST_FILE_BYTES / 1024 / 1024} MB.`);
		const name = (url.searchParams.get('name') ?? 'file').slice(0, 200);
		return { grid: await readSheet(name, Buffer.from(await request.arrayBuffer())) };
	});
