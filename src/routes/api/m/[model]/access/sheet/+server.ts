import { answer } from '$lib/server/answer';
import { requirePermission } from '$lib/server/session';
import { readSheet } from '$lib/server/structure';

/** An uploaded table of grants as a grid, for the same preview as a paste. The file is the body; its name travels in the query. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		requirePermission(locals.person, 'access.write');
		const name = (url.searchParams.get('name') ?? 'file').slice(0, 200);
		return { grid: await readSheet(name, Buffer.from(await request.arrayBuffer())) };
	});
