import { colleagues, readSubstitutes } from '$lib/server/access';
import { forPage } from '$lib/server/answer';
import { LEAST_LENGTH, mayStandInFor, ownFactor, ownSessions, passwordsAllowed } from '$lib/server/session';
import type { PageServerLoad } from './$types';

export const load = (({ locals: { person, token } }) =>
	forPage(async () => {
		// How somebody signs in is nobody else's, whoever takes their place.
		if (person!.acting) return { own: null };
		return {
			own: {
				email: person!.email,
				passwords: passwordsAllowed(),
				leastLength: LEAST_LENGTH,
				sessions: await ownSessions(person, token),
				factor: await ownFactor(person),
				substitutes: await readSubstitutes(person),
				colleagues: await colleagues(person),
				standsInFor: await mayStandInFor(person)
			}
		};
	})) satisfies PageServerLoad;
