import type { Cookies } from '@sveltejs/kit';
import { SESSION_DAYS } from './session';

export const SESSION_COOKIE = 'lattice_session';
/** The model (code) a person was in last: where addresses that name none lead. */
export const MODEL_COOKIE = 'lattice_model';

/** Sets the session's cookie: out of scripts' reach, and not sent along from other sites. */
export function setSessionCookie(cookies: Cookies, token: string, url: URL): void {
	cookies.set(SESSION_COOKIE, token, {
		path: '/',
		httpOnly: true,
		sameSite: 'lax',
		secure: url.protocol === 'https:',
		maxAge: SESSION_DAYS * 86_400
	});
}
