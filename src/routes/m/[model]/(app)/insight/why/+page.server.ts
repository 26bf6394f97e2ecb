import { forPage } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { whyDifferent, whyPage, whySchema } from '$lib/server/insight';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, url }) =>
	forPage(async () => {
		const asked = whySchema.safeParse({
			place: (url.searchParams.get('place') ?? '').split('.').map(Number),
			against: url.searchParams.get('vs') ?? 'y1',
			currency: url.searchParams.get('in') ?? 'EUR',
			dimension: url.searchParams.has('by') ? Number(url.searchParams.get('by')) : null,
			at: Object.fromEntries(
				[...url.searchParams].filter(([name]) => /^c\d+$/.test(name)).map(([name, member]) => [name.slice(1), Number(member)])
			),
			...(url.searchParams.has('q') && { quantity: Number(url.searchParams.get('q')) })
		});
		if (!asked.success)
			throw new Fault(400, 'not understood', 'This address names no figure. Open one from a form, a board or the explorer.');
		const page = await whyPage(locals.person, locals.modelId, asked.data.place, Object.values(asked.data.at));
		const against = page.againstChoices.some(({ key }) => key === asked.data.against)
			? asked.data.against
			: (page.againstChoices[0]?.key ?? 'y1');
		const found = await whyDifferent(locals.person, locals.modelId, { ...asked.data, against }).catch((failure: unknown) => {
			if (failure instanceof Fault && failure.status < 500) return failure.message;
			throw failure;
		});
		return {
			page,
			asked: { ...asked.data, against },
			found: typeof found === 'string' ? null : found,
			fault: typeof found === 'string' ? found : ''
		};
	})) satisfies PageServerLoad;
