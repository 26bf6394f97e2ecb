import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { messageFile } from '$lib/server/insight';

/** A board on paper that came with a message. */
export const GET = async ({ locals, params }) => {
	try {
		const id = /^\d{1,9}$/.test(params.id) ? Number(params.id) : 0;
		const { name, bytes } = await messageFile(locals.person, locals.modelId, id);
		return new Response(new Uint8Array(bytes), {
			headers: {
				'content-type': 'application/pdf',
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
				'cache-control': 'no-store'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
};
