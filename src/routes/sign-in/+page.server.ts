import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { asFault } from '$lib/server/answer';
import { pool } from '$lib/server/database';
import { Fault } from '$lib/server/fault';
import { addressOf, ownPlace } from '$lib/server/gate';
import { rememberBrowser, signIn } from '$lib/server/session';
import { browserCookie, setBrowserCookie, setSessionCookie } from '$lib/server/session/cookie';
import { DEMO_PASSWORD, demoPeople } from '../../../demo/people.mjs';
import type { Actions, PageServerLoad } from './$types';

const form = z.object({ email: z.string().max(200), password: z.string().max(200) });

export const load = (async ({ locals, url }) => {
	if (locals.person) redirect(303, destination(url));
	const demo = await pool().query("SELECT 1 FROM setting WHERE key = 'demo'");
	// Only an installation that holds the demo shows its sign-ins.
	return {
		email: (url.searchParams.get('email') ?? '').slice(0, 200),
		demo: demo.rowCount ? { password: DEMO_PASSWORD, people: demoPeople.map(({ email, name, title }) => ({ email, name, title })) } : null
	};
}) satisfies PageServerLoad;

export const actions = {
	default: async (event) => {
		const { request, cookies, url } = event;
		const asked = (request.headers.get('accept-language') ?? '').slice(0, 200);
		let sent: FormData;
		try {
			sent = await request.formData();
		} catch (failure) {
			if (failure instanceof Fault) return fail(failure.status, { message: failure.message, email: '' });
			return fail(400, { message: 'Type your e-mail address and your password.', email: '' });
		}
		const parsed = form.safeParse(Object.fromEntries(sent));
		if (!parsed.success || parsed.data.email.trim() === '' || parsed.data.password === '')
			return fail(400, { message: 'Type your e-mail address and your password.', email: parsed.data?.email ?? '' });
		try {
			const known = cookies.get(browserCookie(url));
			const token = await signIn(parsed.data.email, parsed.data.password, addressOf(event), asked, known);
			setSessionCookie(cookies, token, url);
			const browser = await rememberBrowser(token, known);
			if (browser) setBrowserCookie(cookies, browser, url);
		} catch (failure) {
			const fault = asFault(failure);
			if (fault) return fail(fault.status, { message: fault.message, email: parsed.data.email });
			throw failure;
		}
		redirect(303, destination(url));
	}
} satisfies Actions;

/** Where the person was going. */
const destination = (url: URL): string => ownPlace(url.searchParams.get('to'), url.origin);
