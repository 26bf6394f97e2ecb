import { forPage } from '$lib/server/answer';
import { openForm } from '$lib/server/form';
import { choicesSchema } from '$lib/server/form/open';
import type { PageServerLoad } from './$types';

/** The address holds what the reader chose: `d12=345` for dimension 12, `in=EUR` for the currency. */
export const load = (async ({ locals, params, url }) => {
	const members = Object.fromEntries(
		[...url.searchParams]
			.filter(([name, value]) => /^d\d+$/.test(name) && /^\d{1,9}$/.test(value))
			.map(([name, value]) => [name.slice(1), Number(value)])
	);
	const parsed = choicesSchema.safeParse({ members, currency: url.searchParams.get('in') ?? undefined });
	const choices = parsed.success ? parsed.data : { members: {} };
	return { opened: await forPage(() => openForm(locals.person, locals.modelId, params.code, choices)), choices };
}) satisfies PageServerLoad;
