import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { readPicture } from '$lib/server/insight';

/** A picture of a board. */
export const GET = async ({ locals, params }) => {
	try {
		const { type, bytes } = await readPicture(locals.person, locals.modelId, /^\d{1,9}$/.test(params.id) ? Number(params.id) : 0);
		return new Response(new Uint8Array(bytes), {
			headers: {
				'content-type': type,
				'cache-control': 'private, max-age=3600',
				'x-content-type-options': 'nosniff',
				'content-security-policy': 'sandbox'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
};
