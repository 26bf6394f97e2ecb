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
		const chosen = Number(event.cookies.get(MODEL_COOKIE));
		const model = models.find(({ id }) => id === chosen) ?? models[0];
		if (!model) error(503, { message: 'There is no model yet. Load the demo with: npm run demo:reset' });
		event.locals.modelId = model.id;
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
