import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { exportMap } from '$lib/server/import';

/** A map as a CSV file. */
export async function GET({ locals, params }) {
	try {
		const { name, csv } = await exportMap(locals.person, locals.modelId, Number(params.map));
		return new Response(csv, {
			headers: {
				'content-type': 'text/csv; charset=utf-8',
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(`${name}.csv`)}`
			}
		});
	} catch (error) {
		if (error instanceof Fault) return answer(() => Promise.reject(error));
		throw error;
	}
}
