import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { asFault } from '$lib/server/answer';
import { LEAST_LENGTH, MOST_LENGTH, ownerOfLink, setPasswordByLink } from '$lib/server/session';
import type { Actions, PageServerLoad } from './$types';

const form = z.object({ password: z.string().max(MOST_LENGTH * 2), again: z.string().max(MOST_LENGTH * 2) });

export const load = (async ({ params }) => {
	const owner = await ownerOfLink(params.token);
	return { leastLength: LEAST_LENGTH, owner: owner ? { name: owner.name, email: owner.email } : null };
}) satisfies PageServerLoad;

export const actions = {
	default: async ({ request, params }) => {
		const sent = form.safeParse(Object.fromEntries(await request.formData()));
		if (!sent.success) return fail(400, { message: 'Type the password twice.' });
		if (sent.data.password !== sent.data.again) return fail(422, { message: 'The two are not the same. Type the password twice.' });
		let email: string;
		try {
			email = await setPasswordByLink(params.token, sent.data.password);
		} catch (failure) {
			const fault = asFault(failure);
			if (fault) return fail(fault.status, { message: fault.message });
			throw failure;
		}
		redirect(303, `/sign-in?email=${encodeURIComponent(email)}`);
	}
} satisfies Actions;
