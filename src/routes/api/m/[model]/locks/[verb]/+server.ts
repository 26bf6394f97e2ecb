import {
	boardSchema,
	bringLocks,
	closePeriods,
	closeSchema,
	driversSchema,
	dropLocks,
	dropSchema,
	lockBoard,
	lockedSlice,
	lockSheetSchema,
	setDrivers,
	setLocks,
	setSchema,
	sliceSchema,
	takeBackLocks,
	takeBackLocksSchema
} from '$lib/server/locks';
import { answerVerbs, verb } from '$lib/server/verbs';

/** What can be asked: by verb, how its body is understood and who answers. */
const VERBS = {
	board: verb(boardSchema, lockBoard),
	slice: verb(sliceSchema, lockedSlice),
	set: verb(setSchema, setLocks),
	'take-back': verb(takeBackLocksSchema, takeBackLocks),
	drop: verb(dropSchema, dropLocks),
	drivers: verb(driversSchema, setDrivers),
	close: verb(closeSchema, closePeriods),
	sheet: verb(lockSheetSchema, bringLocks)
};

export const POST = answerVerbs(VERBS);
