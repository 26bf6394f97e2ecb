import { forPage } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { traceFigure, traceSchema } from '$lib/server/runbook';
import type { PageServerLoad } from './$types';

/** The figure is named in the address: its members in the order of the model's dimensions, and its period. */
export const load = (({ locals, url }) =>
	forPage(async () => {
		const named = traceSchema.safeParse({
			members: (url.searchParams.get('members') ?? '').split('.').map(Number),
			period: Number(url.searchParams.get('period')),
			way: url.searchParams.get('way') ?? 'back'
		});
		if (!named.success) throw new Fault(404, 'not found', 'This address names no figure. Open one from a form: its details lead here.');
		return { node: named.data, trace: await traceFigure(locals.person, locals.modelId, named.data) };
	})) satisfies PageServerLoad;
