import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { addressOf } from '$lib/server/gate';
import { changePassword, endOtherSessions, MOST_LENGTH } from '$lib/server/session';

const passwords = z.object({ present: z.string().max(MOST_LENGTH * 2), next: z.string().max(MOST_LENGTH * 2) });

export const POST = (event) =>
	answer(async () => {
		const { person, token } = event.locals;
		switch (event.params.verb) {
			case 'password':
				return changePassword(person, token, { ...(await readBody(event.request, passwords)), address: addressOf(event) });
			case 'sign-out-elsewhere':
				return endOtherSessions(person, token);
			default:
				throw notFound('action');
		}
	});
