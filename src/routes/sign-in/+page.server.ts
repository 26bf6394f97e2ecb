import { fail, redirect, type RequestEvent } from '@sveltejs/kit';
import { z } from 'zod';
import { asFault } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { addressOf, ownPlace } from '$lib/server/gate';
import {
	holdsDemo,
	passwordsAllowed,
	providerOf,
	rememberBrowser,
	signIn,
	signInWithCode,
	signOnProblem,
	type From
} from '$lib/server/session';
import { browserCookie, setBrowserCookie, setSessionCookie } from '$lib/server/session/cookie';
import { DEMO_PASSWORD, demoPeople } from '../../../demo/people.mjs';
import type { Actions, PageServerLoad } from './$types';

const passwordForm = z.object({ email: z.string().trim().min(1).max(200), password: z.string().min(1).max(200) });
const codeForm = z.object({ step: z.string().max(100), code: z.string().trim().min(1).max(40) });

export const load = (async ({ locals, url }) => {
	if (locals.person) redirect(303, destination(url));
	const provider = await providerOf(url.origin);
	const passwords = passwordsAllowed();
	// Only an installation that holds the demo shows its sign-ins.
	const isDemo = passwords && (await holdsDemo());
	return {
		email: (url.searchParams.get('email') ?? '').slice(0, 200),
		passwords,
		provider: provider ? { name: provider.name, address: `/sign-in/provider?to=${encodeURIComponent(destination(url))}` } : null,
		problem: signOnProblem(url.searchParams.get('problem') ?? ''),
		demo: isDemo ? { password: DEMO_PASSWORD, people: demoPeople.map(({ email, name, title }) => ({ email, name, title })) } : null
	};
}) satisfies PageServerLoad;

const fromOf = (event: RequestEvent): From => ({
	address: addressOf(event),
	browser: event.cookies.get(browserCookie(event.url)),
	userAgent: event.request.headers.get('user-agent') ?? '',
	acceptLanguage: (event.request.headers.get('accept-language') ?? '').slice(0, 200)
});

/** Lets the browser be signed in. */
async function enter({ cookies, url }: RequestEvent, token: string, { browser }: From): Promise<never> {
	setSessionCookie(cookies, token, url);
	const known = await rememberBrowser(token, browser);
	if (known) setBrowserCookie(cookies, known, url);
	redirect(303, destination(url));
}

/** What was sent, by its schema; a sentence where it is something else. */
async function formOf<Schema extends z.ZodType>(
	{ request }: RequestEvent,
	schema: Schema
): Promise<{ sent: Record<string, unknown>; read: z.infer<Schema> | undefined; fault?: Fault }> {
	try {
		const sent = Object.fromEntries(await request.formData());
		return { sent, read: schema.safeParse(sent).data };
	} catch (failure) {
		return { sent: {}, read: undefined, ...(failure instanceof Fault && { fault: failure }) };
	}
}

export const actions = {
	password: async (event) => {
		const { sent, read, fault: unread } = await formOf(event, passwordForm);
		const email = typeof sent.email === 'string' ? sent.email.slice(0, 200) : '';
		if (!read)
			return fail(unread?.status ?? 400, { message: unread?.message ?? 'Type your e-mail address and your password.', email, step: null });
		const from = fromOf(event);
		let token: string;
		try {
			token = await signIn(read.email, read.password, from);
		} catch (failure) {
			const fault = asFault(failure);
			if (!fault) throw failure;
			const step = fault.code === 'code wanted' ? (fault.details as { step: string }).step : null;
			return fail(fault.status, { message: step ? '' : fault.message, email, step });
		}
		return enter(event, token, from);
	},
	code: async (event) => {
		const { sent, read, fault: unread } = await formOf(event, codeForm);
		const step = typeof sent.step === 'string' ? sent.step.slice(0, 100) : null;
		if (!read) return fail(unread?.status ?? 400, { message: unread?.message ?? 'Type the code.', email: '', step });
		const from = fromOf(event);
		let token: string;
		try {
			token = await signInWithCode(read.step, read.code, from);
		} catch (failure) {
			const fault = asFault(failure);
			if (!fault) throw failure;
			return fail(fault.status, { message: fault.message, email: '', step: fault.code === 'step over' ? null : step });
		}
		return enter(event, token, from);
	}
} satisfies Actions;

/** Where the person was going. */
const destination = (url: URL): string => ownPlace(url.searchParams.get('to'), url.origin);
