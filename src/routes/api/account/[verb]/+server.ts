import { z } from 'zod';
import { changeAccess, type SubstituteState } from '$lib/server/access';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { addressOf } from '$lib/server/gate';
import {
	beginFactor,
	changePassword,
	confirmFactor,
	dropFactor,
	endOtherSessions,
	endSession,
	leavePlace,
	MOST_LENGTH,
	renewCodes,
	takePlace
} from '$lib/server/session';

const passwords = z.object({ present: z.string().max(MOST_LENGTH * 2), next: z.string().max(MOST_LENGTH * 2) });
const codeSchema = z.object({ code: z.string().trim().min(1).max(40) });
const substitute = z.object({ id: z.int().nullable(), before: z.unknown(), after: z.unknown() });

/** What people set of their own signing in. */
export const POST = (event) =>
	answer(async () => {
		const { person, token, modelId } = event.locals;
		const { request } = event;
		const address = addressOf(event);
		switch (event.params.verb) {
			case 'password':
				return changePassword(person, token, { ...(await readBody(request, passwords)), address });
			case 'sign-out-elsewhere':
				return endOtherSessions(person, token);
			case 'end-session':
				return endSession(person, (await readBody(request, z.object({ id: z.string().max(40) }))).id);
			case 'begin-factor':
				return beginFactor(person);
			case 'confirm-factor':
				return confirmFactor(person, (await readBody(request, codeSchema)).code, address);
			case 'renew-codes':
				return renewCodes(person, (await readBody(request, codeSchema)).code, address);
			case 'drop-factor':
				return dropFactor(person, (await readBody(request, codeSchema)).code, address);
			case 'substitute': {
				const { id, before, after } = await readBody(request, substitute);
				return changeAccess(person, modelId ?? 0, {
					kind: 'substitute',
					id,
					before: before as SubstituteState,
					after: after as SubstituteState
				});
			}
			case 'stand-in':
				return takePlace(person, token, (await readBody(request, z.object({ id: z.int() }))).id, 'stand in');
			case 'leave':
				return leavePlace(token);
			default:
				throw notFound('action');
		}
	});
