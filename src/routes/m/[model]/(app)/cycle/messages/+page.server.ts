import { forPage } from '$lib/server/answer';
import { readAllMessages, readMessages, readTold } from '$lib/server/cycle';
import type { PageServerLoad } from './$types';

export const load = (({ locals: { person, modelId } }) =>
	forPage(async () => ({
		messages: await readMessages(person, modelId),
		all: person!.permissions.includes('cycle.write') ? await readAllMessages(person, modelId) : null,
		told: await readTold(person)
	}))) satisfies PageServerLoad;
