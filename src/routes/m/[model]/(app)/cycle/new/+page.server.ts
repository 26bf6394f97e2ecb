import { forPage } from '$lib/server/answer';
import { roundChoices } from '$lib/server/cycle';
import type { PageServerLoad } from './$types';

export const load = (({ locals: { person, modelId } }) =>
	forPage(async () => ({ choices: await roundChoices(person, modelId) }))) satisfies PageServerLoad;
