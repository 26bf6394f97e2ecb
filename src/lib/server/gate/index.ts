/**
 * What every request passes before anything is done for it: where it comes from, how much it sends, and whether its sender
 * may send anything there. Decided by the route that matched, never by how its address is written.
 */
import { Fault, notAllowed, notSignedIn, onlyLooking, wrongOrigin } from '../fault';
import { inWords, type SignedIn } from '../session';
import { limitBody } from './body';
import { isOnlyLook, isOwnSetting, limitOf, NO_VERB, permissionsOf, STRANGERS, worksInBranch } from './routes';

export { addressOf } from './client';
export { limitBody } from './body';
export { guardAnswer } from './headers';
export { ownPlace } from './place';
export { permissionsUsed, showsBranch } from './routes';

const READS = new Set(['GET', 'HEAD', 'OPTIONS']);
/** Routes that programs call with a token, and no cookie: the interface for programs, and the one for directories. */
export const isForPrograms = (route: string | null): boolean => /^\/(api\/v1|scim)(\/|$)/.test(route ?? '');
/** Stand-ins of other systems have tokens of their own. */
const OF_OTHERS = '/simulated/';

export const isApi = (route: string | null): boolean => route?.startsWith('/api/') ?? false;
export const isWrite = (request: Request): boolean => !READS.has(request.method);

/** @throws Fault 403 for a write that does not come from a page of this application, whatever its body says it is */
export function requireOrigin(request: Request, route: string | null, origin: string): void {
	if (!isWrite(request) || route?.startsWith(OF_OTHERS) || isForPrograms(route)) return;
	if (request.headers.get('origin') !== origin) throw wrongOrigin(origin);
}

/**
 * The request with its body held to what its route takes; of somebody who is not signed in only what signing in needs. Who
 * only reads needs what the area does.
 * @param verb what is asked of the route, where its address says so
 * @throws Fault 401, 403 or 413, each before anything of the body is read
 */
export function admitBody(request: Request, route: string | null, person: SignedIn | undefined, verb?: string): Request {
	if (!isWrite(request)) {
		const area = permissionsOf(route);
		if (person && isApi(route) && area && !area.some((permission) => person.permissions.includes(permission)))
			throw notAllowed(inWords(area[0]!));
		return request;
	}
	if (!person) {
		if (isApi(route)) throw notSignedIn();
		return limitBody(request, STRANGERS);
	}
	if (person.acting?.way === 'look' && !isOnlyLook(route, verb ?? NO_VERB)) throw onlyLooking(person.name);
	if (person.acting && isOwnSetting(route, verb))
		throw new Fault(403, 'not yours', `This is ${person.name}’s own to set. Go back to your own place first.`);
	if (person.branch && route?.startsWith('/api/m/') && !worksInBranch(route, verb ?? NO_VERB))
		throw new Fault(409, 'in a branch', `This is done on the plan itself. Leave “${person.branch.name}” first.`);
	const permissions = permissionsOf(route, verb ?? NO_VERB);
	if (permissions && !permissions.some((permission) => person.permissions.includes(permission))) throw notAllowed(inWords(permissions[0]!));
	return limitBody(request, isApi(route) ? limitOf(route) : STRANGERS);
}

/** A Fault as an answer that whoever asked can show: JSON for programs, for forms of pages what their page expects. */
export function refusal(failure: Fault, request: Request): Response {
	const { status, code, message, details } = failure;
	const body = request.headers.has('x-sveltekit-action') ? { type: 'error', error: { message, code } } : { code, message, details };
	return Response.json(body, { status, headers: status === 503 ? { 'retry-after': '2' } : {} });
}
