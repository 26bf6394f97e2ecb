import { readiness } from '$lib/server/readiness';
import { json } from '@sveltejs/kit';

/** Whether people can work here: what a proxy asks before it sends them. */
export async function GET() {
	const state = await readiness();
	return json(state, { status: state.status === 'ready' ? 200 : 503, headers: state.status === 'ready' ? {} : { 'retry-after': '2' } });
}
