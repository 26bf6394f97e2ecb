import { answer } from '$lib/server/answer';
import { Fault, notFound } from '$lib/server/fault';
import { readFile } from '$lib/server/form';
import { placeSchema } from '$lib/server/form/beside';

/** A file kept beside a figure; always handed over as a download. */
export async function GET({ locals, params, url }) {
	try {
		if (!/^\d{1,9}$/.test(params.id)) throw notFound('file');
		const place = placeSchema.safeParse((url.searchParams.get('at') ?? '').split('.').map(Number));
		if (!place.success) throw notFound('file');
		const { name, type, bytes } = await readFile(locals.person, locals.modelId, Number(params.id), place.data);
		return new Response(new Uint8Array(bytes), {
			headers: {
				'content-type': type,
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
				'x-content-type-options': 'nosniff',
				'content-security-policy': 'sandbox'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
}
