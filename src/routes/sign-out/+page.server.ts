import { redirect } from '@sveltejs/kit';
import { closeStreamsOf } from '$lib/server/events';
import { forgetSession } from '$lib/server/session';
import { sessionCookie } from '$lib/server/session/cookie';
import type { Actions, PageServerLoad } from './$types';

export const load = (() => redirect(303, '/')) satisfies PageServerLoad;

export const actions = {
	default: async ({ cookies, url }) => {
		const token = cookies.get(sessionCookie(url));
		if (token) {
			await forgetSession(token);
			closeStreamsOf(token);
		}
		cookies.delete(sessionCookie(url), { path: '/' });
		redirect(303, '/sign-in');
	}
} satisfies Actions;
