import { z } from 'zod';
import { forPage } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { readChoices } from '$lib/server/form/open';
import { boardFigures, figuresSchema, readBoardDesk } from '$lib/server/insight';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals, params, url, depends }) => {
	depends('app:board');
	const id = z.coerce.number().int().min(1).max(2_147_483_647).safeParse(params.id);
	return forPage(async () => {
		if (!id.success) throw notFound('board');
		const choices = readChoices(url.searchParams);
		const against = figuresSchema.shape.against.safeParse(url.searchParams.get('vs') ?? undefined).data;
		const tab = figuresSchema.shape.tab.safeParse(Number(url.searchParams.get('tab') ?? 0)).data ?? 0;
		const desk = await readBoardDesk(locals.person, locals.modelId, id.data);
		return {
			desk,
			place: { choices, against, tab },
			figures: await boardFigures(locals.person, locals.modelId, { id: id.data, choices, against, tab })
		};
	});
}) satisfies PageServerLoad;
