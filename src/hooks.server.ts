import { building, dev } from '$app/environment';
import { error, redirect, type Handle, type HandleServerError, type RequestEvent, type ServerInit } from '@sveltejs/kit';
import { noteUse } from '$lib/server/access';
import { whileActing } from '$lib/server/acting';
import { asFault } from '$lib/server/answer';
import { branchHere } from '$lib/server/branch';
import { closePool, pool } from '$lib/server/database';
import { listModels } from '$lib/server/database/definitions';
import { stopEngines } from '$lib/server/engine';
import { closeEventStreams } from '$lib/server/events';
import { Fault, notSignedIn } from '$lib/server/fault';
import {
	admitBody,
	guardAnswer,
	isApi,
	isForPrograms,
	isWrite,
	permissionsUsed,
	refusal,
	requireOrigin,
	showsBranch
} from '$lib/server/gate';
import { stopDataThread } from '$lib/server/import';
import { keepTryingToStartJobs, stopJobNews, stopJobs } from '$lib/server/jobs';
import { log } from '$lib/server/log';
import { countRequest } from '$lib/server/metrics';
import { guardProcess } from '$lib/server/process';
import { whileRestating } from '$lib/server/restating';
import '$lib/server/cycle';
import '$lib/server/insight';
import '$lib/server/runbook';
import { readSession, readToken, type KnownPerson } from '$lib/server/session';
import { MODEL_COOKIE, sessionCookie } from '$lib/server/session/cookie';

export const init: ServerInit = async () => {
	if (building) return;
	// Importing the subjects above has named who carries out which kind of job, and what is done each minute.
	keepTryingToStartJobs();
	guardProcess();
	if (dev) return;
	// The adapter waits for open requests before it ends, and event streams never end by themselves.
	for (const signal of ['SIGTERM', 'SIGINT'] as const) process.once(signal, closeEventStreams);
	process.on('sveltekit:shutdown' as never, async () => {
		// Work ends first: it writes down how.
		await stopJobs().catch(() => {});
		await Promise.allSettled([stopEngines(), stopDataThread(), stopJobNews()]);
		await Promise.race([closePool(), new Promise((done) => setTimeout(done, 500))]).catch(() => {});
		// Whatever still waits for something keeps nobody.
		process.exit(0);
	});
};

/** What looks after the process asks nothing of the database. */
const OUTSIDE = new Set<string | null>(['/healthz', '/readyz', '/metrics']);
const OPEN_ROUTES = new Set<string | null>([
	'/sign-in',
	'/sign-in/provider',
	'/sign-in/return',
	'/forgot',
	'/password/[token]',
	'/feed/[key]'
]);
/** Whoever may work nowhere can still leave. */
const WITHOUT_ANY_MODEL = new Set<string | null>([...OPEN_ROUTES, '/sign-out', '/api/account/[verb]']);
/** Pages as they were addressed before addresses named their model. */
const WITHOUT_MODEL = /^\/(desk|structure|data-in|forms|rules|access|cycle|account|print|handbook)(\/|$)/;

/** Every request: through the gate, as somebody, in a model, and out with what guards its answer. */
export const handle: Handle = async ({ event, resolve }) => {
	const route = event.route.id;
	const began = performance.now();
	const response = await through(event, resolve);
	countRequest(route, response.status, (performance.now() - began) / 1_000);
	return response;
};

type Resolve = Parameters<Handle>[0]['resolve'];

async function through(event: RequestEvent, resolve: Resolve): Promise<Response> {
	const secure = event.url.protocol === 'https:';
	const route = event.route.id;
	try {
		requireOrigin(event.request, route, event.url.origin);
		const response = await answerOf(event, resolve);
		return guardAnswer(response, { secure, isPrivate: !route?.startsWith('/sign-in') && route !== '/forgot' });
	} catch (failure) {
		const fault = asFault(failure);
		// What SvelteKit throws to lead elsewhere, or to its page of errors, goes its way.
		if (!fault) throw failure;
		if (fault.status === 503 && fault !== failure) log.warn({ err: failure, path: event.url.pathname }, 'the database is away');
		if (!isApi(route) && !isWrite(event.request)) error(fault.status, { message: fault.message, code: fault.code });
		return guardAnswer(refusal(fault, event.request), { secure, isPrivate: true });
	}
}

async function answerOf(event: RequestEvent, resolve: Resolve): Promise<Response> {
	const { pathname } = event.url;
	const route = event.route.id;
	if (OUTSIDE.has(route)) return resolve(event);
	if (isForPrograms(route)) return answerProgram(event, resolve);
	const token = event.cookies.get(sessionCookie(event.url));
	// Both are wanted by nearly every request: asked for side by side.
	const [known, all] = token ? await Promise.all([readSession(token), listModels(pool())]) : [undefined, []];
	// Of models a person has no right in they learn nothing.
	const models = known ? all.filter(({ id }) => known.mayEnter(id)) : [];
	const person = known?.in(null);
	event.locals.person = person;
	event.locals.models = models;
	event.locals.token = person && token;
	// Stand-ins of outside systems have tokens of their own.
	if (route?.startsWith('/simulated/')) return resolve(event);
	if (known && person) await enterModel(event, known, models);
	event.request = admitBody(event.request, route, event.locals.person, event.params.verb);
	if (event.locals.person && event.locals.modelId !== undefined) {
		const { permissions } = event.locals.person;
		const used = permissionsUsed(route, isWrite(event.request) ? (event.params.verb ?? '') : undefined).find((each) =>
			permissions.includes(each)
		);
		if (used) noteUse(event.locals.person, used, event.locals.modelId);
	}
	if (!person && !OPEN_ROUTES.has(route)) {
		if (isApi(route)) throw notSignedIn();
		redirect(303, `/sign-in?to=${encodeURIComponent(pathname + event.url.search)}`);
	}
	// Paper is white, whatever somebody's screen is.
	const theme = event.route.id?.startsWith('/m/[model]/print/') ? 'paper' : (person?.theme ?? 'paper');
	// The words are English everywhere; numbers and dates are written as in the person's country.
	const lang = `en-${person?.locale.slice(-2) ?? 'GB'}`;
	const reason = event.request.headers.get('x-restate');
	const restating = {
		may: person?.permissions.includes('lock.restate') ?? false,
		reason: reason === null ? null : readReason(reason),
		person: person?.id ?? 0
	};
	return whileActing(person?.acting?.id ?? null, () =>
		whileRestating(restating, () =>
			resolve(event, { transformPageChunk: ({ html }) => html.replace('%theme%', theme).replace('%lang%', lang) })
		)
	);
}

/** Why closed figures shall move, as a heading carries it: encoded, since headings know no other letters. */
function readReason(encoded: string): string | null {
	try {
		return decodeURIComponent(encoded).trim().slice(0, 500) || null;
	} catch {
		return null;
	}
}

/** What programs ask: with a token in their heading, as its owner, and never with a cookie. */
async function answerProgram(event: RequestEvent, resolve: Resolve): Promise<Response> {
	const [, token] = /^Bearer +([\w.~+/-]+=*)$/i.exec(event.request.headers.get('authorization') ?? '') ?? [];
	const holder = token ? await readToken(token) : undefined;
	const all = holder ? await listModels(pool()) : [];
	event.locals.holder = holder;
	event.locals.person = holder?.known.in(null);
	event.locals.models = holder ? all.filter(({ id }) => holder.known.mayEnter(id)) : [];
	event.locals.token = undefined;
	return resolve(event);
}

/** The model (code) an address names, and the branch of it: `group`, or `group~12`. */
function readPlace(name: string | undefined): { code: string | undefined; branch: number | undefined } {
	const [, code, branch] = /^(.*)~(\d{1,9})$/.exec(name ?? '') ?? [];
	return code === undefined ? { code: name, branch: undefined } : { code, branch: Number(branch) };
}

/** Finds the model an address names, and the branch in it. @throws Fault where the request was sent for somebody else, or there is no such model */
async function enterModel(event: RequestEvent, known: KnownPerson, models: App.Locals['models']): Promise<void> {
	const { pathname } = event.url;
	const inApi = isApi(event.route.id);
	const person = known.in(null);
	// A page belongs to whom it was opened for: nothing lands under the name of who signed in in another tab since.
	const named = event.request.headers.get('x-person');
	if (inApi && (named === null ? isWrite(event.request) : named !== String(person.id)))
		throw new Fault(409, 'other person', `You are signed in as ${person.name} in this browser now. Nothing was changed.`);
	const last = event.cookies.get(MODEL_COOKIE);
	const { code: place, branch } = readPlace(event.params.model);
	const model = place === undefined ? (models.find(({ code }) => code === last) ?? models[0]) : models.find(({ code }) => code === place);
	if (models.length === 0 && !WITHOUT_ANY_MODEL.has(event.route.id))
		throw new Fault(403, 'no model', `${person.name}, there is no model you may work in yet. Ask an administrator to give you a role.`);
	if (models.length === 0) return;
	if (!model) throw new Fault(404, 'not found', 'There is no such model.');
	event.locals.modelId = model.id;
	event.locals.person = known.in(model.id);
	if (branch !== undefined) {
		event.locals.person = { ...event.locals.person, branch: await branchHere(event.locals.person, model.id, branch) };
		if (!inApi && !showsBranch(event.route.id))
			redirect(303, `/m/${encodeURIComponent(model.code)}${pathname.replace(/^\/m\/[^/]+/, '')}${event.url.search}`);
	}
	if (WITHOUT_MODEL.test(pathname) || pathname === '/')
		redirect(307, `/m/${encodeURIComponent(model.code)}${pathname === '/' ? '/desk' : pathname}${event.url.search}`);
	if (!inApi && event.params.model !== undefined && model.code !== last)
		event.cookies.set(MODEL_COOKIE, model.code, {
			path: '/',
			httpOnly: true,
			sameSite: 'lax',
			maxAge: 60 * 60 * 24 * 365,
			secure: event.url.protocol === 'https:'
		});
}

/** What the person sees of an unexpected failure: no details, and a number to find it in the log by. */
export const handleError: HandleServerError = ({ error: failure, event, status }) => {
	if (status === 404) return { message: 'There is nothing at this address.' };
	const reference = Math.random().toString(36).slice(2, 8);
	log.error({ err: failure, path: event.url.pathname, reference }, 'request failed');
	return {
		message: `Something went wrong on our side (reference ${reference}). What was saved and your draft are kept; try the last step again.`
	};
};
