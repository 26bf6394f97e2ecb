import { forPage } from '$lib/server/answer';
import { CHAPTERS, contents, readChapter } from '$lib/server/handbook';
import type { PageServerLoad } from './$types';

export const load = (async ({ params }) =>
	forPage(async () => ({
		contents: contents(),
		chapter: readChapter(params.chapter ?? CHAPTERS[0]!.code, params.model)
	}))) satisfies PageServerLoad;
