import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	boardComments,
	boardFigures,
	boardOnly,
	boardVersions,
	changeBoard,
	changeBoardSchema,
	copyBoard,
	dropBoard,
	dropComment,
	dropCommentSchema,
	figuresSchema,
	hideSchema,
	hideTiles,
	makeBoard,
	makeBoardSchema,
	makeReadyBoard,
	readyBoardSchema,
	restoreBoard,
	restoreBoardSchema,
	sayToBoard,
	sayToBoardSchema
} from '$lib/server/insight';

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, { person, modelId }: App.Locals) => work(person, modelId, await readBody(request, schema)) });

const VERBS = {
	figures: verb(figuresSchema, boardFigures),
	make: verb(makeBoardSchema, makeBoard),
	ready: verb(readyBoardSchema, makeReadyBoard),
	change: verb(changeBoardSchema, changeBoard),
	copy: verb(boardOnly, copyBoard),
	drop: verb(boardOnly, dropBoard),
	versions: verb(boardOnly, boardVersions),
	restore: verb(restoreBoardSchema, restoreBoard),
	hide: verb(hideSchema, hideTiles),
	comments: verb(boardOnly, boardComments),
	say: verb(sayToBoardSchema, sayToBoard),
	unsay: verb(dropCommentSchema, dropComment)
};

export const POST = ({ request, locals, params }) =>
	answer(() => {
		const asked = Object.hasOwn(VERBS, params.verb) ? VERBS[params.verb as keyof typeof VERBS] : undefined;
		if (!asked) throw notFound('page');
		return asked.run(request, locals);
	});
