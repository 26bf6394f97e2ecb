import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
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

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, { person, modelId }: App.Locals) => work(person, modelId, await readBody(request, schema)) });

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

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals);
	});
