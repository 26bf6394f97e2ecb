import { asFault } from '$lib/server/answer';
import { feedOf } from '$lib/server/cycle';

/** What is due for somebody, as a calendar to subscribe to; whoever has the key may read it. */
export const GET = async ({ params, url }) => {
	try {
		const calendar = await feedOf(params.key.replace(/\.ics$/, ''), url.origin);
		return new Response(calendar, { headers: { 'content-type': 'text/calendar; charset=utf-8', 'cache-control': 'private, no-store' } });
	} catch (failure) {
		const fault = asFault(failure);
		if (!fault) throw failure;
		return new Response(fault.message, { status: fault.status, headers: { 'content-type': 'text/plain; charset=utf-8' } });
	}
};
