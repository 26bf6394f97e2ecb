import type { Cookies } from '@sveltejs/kit';
import { SESSION_DAYS } from './session';

export const SESSION_COOKIE = 'lattice_session';
/** The model a person works in. */
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
