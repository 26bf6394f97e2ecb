import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import {
	bringGrants,
	changeAccess,
	changeSchema,
	dropFactorOf,
	effectOfChange,
	grantMatrix,
	invitePerson,
	matrixSchema,
	previewGrants,
	reachSchema,
	sheetSchema,
	takeBackAccess,
	whatOneReaches,
	whoMay,
	whoMaySchema,
	whyAction,
	whyActionSchema,
	whyFigure,
	whySchema
} from '$lib/server/access';
import { findSchema, lookInDirectory, synchronise, synchroniseSchema } from '$lib/server/directory';
import { notFound } from '$lib/server/fault';
import { handOnDraft, handOnSchema } from '$lib/server/form';
import { endToken, makeToken, takePlace, tokenSchema } from '$lib/server/session';

const one = z.object({ id: z.int() });
const effectSchema = z.object({ change: changeSchema, dimension: z.int() });

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (locals: App.Locals, body: z.infer<Schema>, origin: string) => Promise<unknown>
) => ({ run: async (request: Request, locals: App.Locals, origin: string) => work(locals, await readBody(request, schema), origin) });

const VERBS = {
	change: verb(changeSchema, ({ person, modelId }, change) => changeAccess(person, modelId, change)),
	effect: verb(effectSchema, ({ person, modelId }, asked) => effectOfChange(person, modelId, asked)),
	'take-back': verb(one, ({ person, modelId }, { id }) => takeBackAccess(person, modelId, id)),
	invite: verb(one, ({ person }, { id }, origin) => invitePerson(person, id, origin)),
	'drop-factor': verb(one, ({ person }, { id }) => dropFactorOf(person, id)),
	'hand-on': verb(handOnSchema, ({ person }, asked) => handOnDraft(person, asked)),
	matrix: verb(matrixSchema, ({ person, modelId }, asked) => grantMatrix(person, modelId, asked)),
	why: verb(whySchema, ({ person, modelId }, asked) => whyFigure(person, modelId, asked)),
	'why-action': verb(whyActionSchema, ({ person, modelId }, asked) => whyAction(person, modelId, asked)),
	who: verb(whoMaySchema, async ({ person, modelId }, asked) => ({ people: await whoMay(person, modelId, asked) })),
	reach: verb(reachSchema, ({ person, modelId }, asked) => whatOneReaches(person, modelId, asked)),
	'look-at-grants': verb(sheetSchema, ({ person, modelId }, sheet) => previewGrants(person, modelId, sheet)),
	'bring-grants': verb(sheetSchema, ({ person, modelId }, sheet) => bringGrants(person, modelId, sheet)),
	directory: verb(findSchema, ({ person }, { find }, origin) => lookInDirectory(person, find, origin)),
	synchronise: verb(synchroniseSchema, ({ person }, asked, origin) => synchronise(person, asked, origin)),
	look: verb(one, ({ person, token }, { id }) => takePlace(person, token, id, 'look')),
	'make-token': verb(tokenSchema, ({ person, modelId }, asked) => makeToken(person, modelId, asked)),
	'end-token': verb(one, ({ person }, { id }) => endToken(person, id))
};

export const POST = ({ request, locals, params, url }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals, url.origin);
	});
