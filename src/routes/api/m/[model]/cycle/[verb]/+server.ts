import { z } from 'zod';
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
import { answerVerbs, verb } from '$lib/server/verbs';

/** What can be asked: by verb, how its body is understood and who answers. */
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

export const POST = answerVerbs(VERBS);
