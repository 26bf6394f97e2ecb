import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import {
	assignSchema,
	assignUnits,
	chooseTold,
	copyRound,
	deleteRound,
	endRound,
	endSchema,
	lookAtSubmission,
	makeFeedKey,
	moveSchema,
	moveUnits,
	previewRound,
	roundOnly,
	roundSchema,
	saveRound,
	saveRoundSchema,
	startRound,
	toldSchema,
	unitSchema,
	unitView
} from '$lib/server/cycle';
import { notFound } from '$lib/server/fault';

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, { person, modelId }: App.Locals) => work(person, modelId, await readBody(request, schema)) });

const VERBS = {
	save: verb(saveRoundSchema, saveRound),
	preview: verb(roundSchema, previewRound),
	copy: verb(roundOnly, copyRound),
	delete: verb(roundOnly, deleteRound),
	start: verb(roundOnly, startRound),
	end: verb(endSchema, endRound),
	assign: verb(assignSchema, assignUnits),
	move: verb(moveSchema, moveUnits),
	look: verb(unitSchema, lookAtSubmission),
	unit: verb(unitSchema, unitView),
	told: verb(toldSchema, (person, _, choice) => chooseTold(person, choice)),
	'feed-key': verb(z.object({}), (person) => makeFeedKey(person))
};

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals);
	});
