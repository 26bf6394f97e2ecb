import type { Cookies } from '@sveltejs/kit';
import { sessionDays } from './policy';

/**
 * The session's cookie. Behind TLS its name keeps it to this host: no neighbour under the same domain can set it.
 */
export const sessionCookie = (url: URL): string => (url.protocol === 'https:' ? '__Host-lattice_session' : 'lattice_session');
/** The model (code) a person was in last: where addresses that name none lead. */
export const MODEL_COOKIE = 'lattice_model';

/** What a browser keeps to be known as one that its person signs in with. */
export const browserCookie = (url: URL): string => (url.protocol === 'https:' ? '__Host-lattice_browser' : 'lattice_browser');
const BROWSER_COOKIE_DAYS = 180;

/** Lets the browser be known again. */
export function setBrowserCookie(cookies: Cookies, token: string, url: URL): void {
	cookies.set(browserCookie(url), token, {
		path: '/',
		httpOnly: true,
		sameSite: 'strict',
		secure: url.protocol === 'https:',
		maxAge: BROWSER_COOKIE_DAYS * 86_400
	});
}

/** Sets the session's cookie: out of scripts' reach, and not sent along from other sites. */
export function setSessionCookie(cookies: Cookies, token: string, url: URL): void {
	cookies.set(sessionCookie(url), token, {
		path: '/',
		httpOnly: true,
		sameSite: 'lax',
		secure: url.protocol === 'https:',
		maxAge: sessionDays() * 86_400
	});
}

/** What a browser keeps while its person signs in at the organisation's own place. */
const signOnCookie = (url: URL): string => (url.protocol === 'https:' ? '__Secure-lattice_sign_on' : 'lattice_sign_on');
const SIGN_ON_MINUTES = 10;

export function setSignOnCookie(cookies: Cookies, kept: string, url: URL): void {
	cookies.set(signOnCookie(url), kept, {
		path: '/sign-in',
		httpOnly: true,
		// It comes back by a link of another site.
		sameSite: 'lax',
		secure: url.protocol === 'https:',
		maxAge: SIGN_ON_MINUTES * 60
	});
}

/** What was kept, once. */
export function takeSignOnCookie(cookies: Cookies, url: URL): string | undefined {
	const kept = cookies.get(signOnCookie(url));
	cookies.delete(signOnCookie(url), { path: '/sign-in' });
	return kept;
}
