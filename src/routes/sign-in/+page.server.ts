import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { pool } from '$lib/server/database';
import { Fault } from '$lib/server/fault';
import { signIn } from '$lib/server/session';
import { setSessionCookie } from '$lib/server/session/cookie';
import { DEMO_PASSWORD, demoPeople } from '../../../demo/people.mjs';
import type { Actions, PageServerLoad } from './$types';

const form = z.object({ email: z.string().max(200), password: z.string().max(200) });

export const load = (async ({ locals, url }) => {
	if (locals.person) redirect(303, destination(url));
	const demo = await pool().query("SELECT 1 FROM setting WHERE key = 'demo'");
	// Only an installation that holds the demo shows its sign-ins.
	return {
		demo: demo.rowCount ? { password: DEMO_PASSWORD, people: demoPeople.map(({ email, name, title }) => ({ email, name, title })) } : null
	};
}) satisfies PageServerLoad;

export const actions = {
	default: async ({ request, cookies, url, getClientAddress }) => {
		const asked = (request.headers.get('accept-language') ?? '').slice(0, 200);
		const parsed = form.safeParse(Object.fromEntries(await request.formData()));
		if (!parsed.success || parsed.data.email.trim() === '' || parsed.data.password === '')
			return fail(400, { message: 'Type your e-mail address and your password.', email: parsed.data?.email ?? '' });
		try {
			setSessionCookie(cookies, await signIn(parsed.data.email, parsed.data.password, getClientAddress(), asked), url);
		} catch (failure) {
			if (failure instanceof Fault) return fail(failure.status, { message: failure.message, email: parsed.data.email });
			throw failure;
		}
		redirect(303, destination(url));
	}
} satisfies Actions;

/** Where the person was going; only places of this site. */
function destination(url: URL): string {
	const wanted = url.searchParams.get('to') ?? '/';
	return /^\/(?![/\\])/.test(wanted) ? wanted : '/';
}
