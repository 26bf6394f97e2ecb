import { redirect } from '@sveltejs/kit';
import { forgetSession } from '$lib/server/session';
import { SESSION_COOKIE } from '$lib/server/session/cookie';
import type { Actions, PageServerLoad } from './$types';

export const load = (() => redirect(303, '/')) satisfies PageServerLoad;

export const actions = {
	default: async ({ cookies }) => {
		const token = cookies.get(SESSION_COOKIE);
		if (token) await forgetSession(token);
		cookies.delete(SESSION_COOKIE, { path: '/' });
		redirect(303, '/sign-in');
	}
} satisfies Actions;
