import { forPage } from '$lib/server/answer';
import { LEAST_LENGTH, ownSessions } from '$lib/server/session';
import type { PageServerLoad } from './$types';

export const load = (async ({ locals }) => ({
	email: locals.person!.email,
	leastLength: LEAST_LENGTH,
	sessions: await forPage(() => ownSessions(locals.person, locals.token))
})) satisfies PageServerLoad;
