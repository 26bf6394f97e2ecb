import { forPage } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { flowOfRunbook, flowSchema } from '$lib/server/runbook';
import type { PageServerLoad } from './$types';

/** What is looked at is named in the address: a period, and of each dimension on which nothing changes a member. */
export const load = (({ locals, params, url }) =>
	forPage(async () => {
		const id = Number(params.id);
		const period = url.searchParams.get('period');
		const asked = flowSchema.safeParse({
			period: period === null ? null : Number(period),
			slice: Object.fromEntries(
				[...url.searchParams].flatMap(([key, value]) => (key.startsWith('d') ? [[key.slice(1), Number(value)]] : []))
			)
		});
		if (!Number.isInteger(id) || !asked.success) throw notFound('flow picture');
		return { runbook: id, ...(await flowOfRunbook(locals.person, locals.modelId, id, asked.data)) };
	})) satisfies PageServerLoad;
