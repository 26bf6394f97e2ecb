import { answer } from '$lib/server/answer';
import { keepPicture } from '$lib/server/insight';

/** Keeps a picture for a board: the file is the body, the board stands in the query. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		const board = url.searchParams.get('board') ?? '';
		return keepPicture(
			locals.person,
			locals.modelId,
			/^\d{1,9}$/.test(board) ? Number(board) : 0,
			new Uint8Array(await request.arrayBuffer())
		);
	});
