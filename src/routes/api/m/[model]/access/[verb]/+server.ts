import { z } from 'zod';
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
import { handOnDraft, handOnSchema } from '$lib/server/form';
import { endToken, makeToken, takePlace, tokenSchema } from '$lib/server/session';
import { answerVerbs, verb } from '$lib/server/verbs';

const one = z.object({ id: z.int() });
const effectSchema = z.object({ change: changeSchema, dimension: z.int() });

/** What can be asked: by verb, how its body is understood and who answers. */
const VERBS = {
	change: verb(changeSchema, (person, modelId, change) => changeAccess(person, modelId, change)),
	effect: verb(effectSchema, (person, modelId, asked) => effectOfChange(person, modelId, asked)),
	'take-back': verb(one, (person, modelId, { id }) => takeBackAccess(person, modelId, id)),
	invite: verb(one, (person, _model, { id }, { url }) => invitePerson(person, id, url.origin)),
	'drop-factor': verb(one, (person, _model, { id }) => dropFactorOf(person, id)),
	'hand-on': verb(handOnSchema, (person, _model, asked) => handOnDraft(person, asked)),
	matrix: verb(matrixSchema, (person, modelId, asked) => grantMatrix(person, modelId, asked)),
	why: verb(whySchema, (person, modelId, asked) => whyFigure(person, modelId, asked)),
	'why-action': verb(whyActionSchema, (person, modelId, asked) => whyAction(person, modelId, asked)),
	who: verb(whoMaySchema, async (person, modelId, asked) => ({ people: await whoMay(person, modelId, asked) })),
	reach: verb(reachSchema, (person, modelId, asked) => whatOneReaches(person, modelId, asked)),
	'look-at-grants': verb(sheetSchema, (person, modelId, sheet) => previewGrants(person, modelId, sheet)),
	'bring-grants': verb(sheetSchema, (person, modelId, sheet) => bringGrants(person, modelId, sheet)),
	directory: verb(findSchema, (person, _model, { find }, { url }) => lookInDirectory(person, find, url.origin)),
	synchronise: verb(synchroniseSchema, (person, _model, asked, { url }) => synchronise(person, asked, url.origin)),
	look: verb(one, (person, _model, { id }, { locals: { token } }) => takePlace(person, token, id, 'look')),
	'make-token': verb(tokenSchema, (person, modelId, asked) => makeToken(person, modelId, asked)),
	'end-token': verb(one, (person, _model, { id }) => endToken(person, id))
};

export const POST = answerVerbs(VERBS);
