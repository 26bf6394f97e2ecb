import { building, dev } from '$app/environment';
import { error, json, redirect, type Handle, type HandleServerError, type ServerInit } from '@sveltejs/kit';
import { closePool, pool } from '$lib/server/database';
import { listModels } from '$lib/server/database/definitions';
import { stopEngines } from '$lib/server/engine';
import { closeEventStreams } from '$lib/server/events';
import { stopDataThread } from '$lib/server/import';
import { startJobs, stopJobNews, stopJobs } from '$lib/server/jobs';
import { log } from '$lib/server/log';
import '$lib/server/runbook';
import { readSession } from '$lib/server/session';
import { MODEL_COOKIE, SESSION_COOKIE } from '$lib/server/session/cookie';

export const init: ServerInit = async () => {
	if (building) return;
	// Importing the subject above has named who carries out which kind of job.
	await startJobs().catch((error: unknown) => log.error({ err: error }, 'the job queue cannot be started: nothing can be loaded'));
	if (dev) return;
	// The adapter waits for open requests before it ends, and event streams never end by themselves.
	for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, closeEventStreams);
	process.on('sveltekit:shutdown' as never, async () => {
		await Promise.all([stopEngines(), stopDataThread(), stopJobs(), stopJobNews()]);
		await closePool();
	});
};

const OPEN_PATHS = new Set(['/sign-in', '/healthz']);
/** Pages as they were addressed before addresses named their model. */
const WITHOUT_MODEL = /^\/(desk|structure|data-in|forms|rules|print)(\/|$)/;

export const handle: Handle = async ({ event, resolve }) => {
	const { pathname } = event.url;
	if (pathname === '/healthz') return resolve(event);
	const token = event.cookies.get(SESSION_COOKIE);
	// Both are wanted by nearly every request: asked for side by side.
	const [person, models] = token ? await Promise.all([readSession(token), listModels(pool())]) : [undefined, []];
	event.locals.person = person;
	const isApi = pathname.startsWith('/api/');
	// SvelteKit checks the origin of form posts; the same for everything else that writes.
	if (isApi && event.request.method !== 'GET' && event.request.headers.get('origin') !== event.url.origin)
		return json({ code: 'wrong origin', message: 'This request came from another site.' }, { status: 403 });
	// Stand-ins of outside systems have tokens of their own.
	if (pathname.startsWith('/simulated/')) return resolve(event);
	if (!event.locals.person && !OPEN_PATHS.has(pathname)) {
		if (isApi)
			return json(
				{ code: 'not signed in', message: 'Your session has ended. Sign in again; your unsaved entries are kept.' },
				{ status: 401 }
			);
		redirect(303, `/sign-in?to=${encodeURIComponent(pathname + event.url.search)}`);
	}
	if (event.locals.person) {
		const { person } = event.locals;
		// A page belongs to whom it was opened for: nothing lands under the name of who signed in in another tab since.
		const named = event.request.headers.get('x-person');
		if (isApi && (named === null ? event.request.method !== 'GET' : named !== String(person.id)))
			return json(
				{ code: 'other person', message: `You are signed in as ${person.name} in this browser now. Nothing was changed.` },
				{ status: 409 }
			);
		const last = event.cookies.get(MODEL_COOKIE);
		const model =
			event.params.model === undefined
				? (models.find(({ code }) => code === last) ?? models[0])
				: models.find(({ code }) => code === event.params.model);
		if (models.length === 0) error(503, { message: 'There is no model yet. Load the demo with: npm run demo:reset' });
		if (!model) {
			if (isApi) return json({ code: 'not found', message: 'There is no such model.' }, { status: 404 });
			error(404, { message: 'There is no such model.' });
		}
		event.locals.modelId = model.id;
		if (WITHOUT_MODEL.test(pathname) || pathname === '/')
			redirect(307, `/m/${encodeURIComponent(model.code)}${pathname === '/' ? '/desk' : pathname}${event.url.search}`);
		if (!isApi && event.params.model !== undefined && model.code !== last)
			event.cookies.set(MODEL_COOKIE, model.code, {
				path: '/',
				httpOnly: true,
				sameSite: 'lax',
				maxAge: 60 * 60 * 24 * 365,
				secure: event.url.protocol === 'https:'
			});
	}
	const theme = event.locals.person?.theme ?? 'paper';
	// The words are English everywhere; numbers and dates are written as in the person's country.
	const lang = `en-${event.locals.person?.locale.slice(-2) ?? 'GB'}`;
	const response = await resolve(event, { transformPageChunk: ({ html }) => html.replace('%theme%', theme).replace('%lang%', lang) });
	response.headers.set('x-content-type-options', 'nosniff');
	response.headers.set('referrer-policy', 'same-origin');
	return response;
};

/** What the person sees of an unexpected failure: no details, and a number to find it in the log by. */
export const handleError: HandleServerError = ({ error: failure, event, status }) => {
	if (status === 404) return { message: 'There is nothing at this address.' };
	const reference = Math.random().toString(36).slice(2, 8);
	log.error({ err: failure, path: event.url.pathname, reference }, 'request failed');
	return {
		message: `Something went wrong on our side (reference ${reference}). What was saved and your draft are kept; try the last step again.`
	};
};
