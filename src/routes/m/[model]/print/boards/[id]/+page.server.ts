import { z } from 'zod';
import type { BoardContent } from '$lib/core';
import { forPage } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { readChoices } from '$lib/server/form/open';
import { boardFigures, figuresSchema, readBoard, type BoardFigures } from '$lib/server/insight';
import type { PageServerLoad } from './$types';

/** On paper nobody types: a form is shown as a table. */
const onPaper = (content: BoardContent): BoardContent => ({
	...content,
	tabs: content.tabs.map((tab) => ({
		...tab,
		tiles: tab.tiles.map((tile) => (tile.kind === 'form' ? { ...tile, kind: 'view' as const } : tile))
	}))
});

export const load = (async ({ locals, params, url }) => {
	const id = z.coerce.number().int().min(1).max(2_147_483_647).safeParse(params.id);
	const found = await forPage(async () => {
		if (!id.success) throw notFound('board');
		const board = await readBoard(locals.person, locals.modelId, id.data);
		const content = onPaper(board.content);
		const against = figuresSchema.shape.against.safeParse(url.searchParams.get('vs') ?? undefined).data;
		const asked = { id: id.data, choices: readChoices(url.searchParams), against, content };
		const pages: BoardFigures[] = [];
		for (const tab of content.tabs.keys()) pages.push(await boardFigures(locals.person, locals.modelId, { ...asked, tab }));
		return { board: { ...board, content }, pages };
	});
	return { ...found, now: new Date().toISOString(), locale: locals.person!.locale, person: locals.person!.name };
}) satisfies PageServerLoad;
