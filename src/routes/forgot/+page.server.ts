import { fail } from '@sveltejs/kit';
import { z } from 'zod';
import { asFault } from '$lib/server/answer';
import { addressOf } from '$lib/server/gate';
import { askForReset } from '$lib/server/session';
import type { Actions } from './$types';

const form = z.object({ email: z.string().trim().min(3).max(200) });

export const actions = {
	default: async (event) => {
		const sent = form.safeParse(Object.fromEntries(await event.request.formData()));
		if (!sent.success) return fail(400, { message: 'Type your e-mail address.', sent: false });
		try {
			await askForReset(sent.data.email, addressOf(event), event.url.origin);
		} catch (failure) {
			const fault = asFault(failure);
			if (fault) return fail(fault.status, { message: fault.message, sent: false });
			throw failure;
		}
		return { message: '', sent: true };
	}
} satisfies Actions;
