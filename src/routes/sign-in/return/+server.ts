import { redirect } from '@sveltejs/kit';
import { asFault } from '$lib/server/answer';
import { addressOf, ownPlace } from '$lib/server/gate';
import { backFromProvider, openSession, providerOf, rememberBrowser } from '$lib/server/session';
import { browserCookie, setBrowserCookie, setSessionCookie, takeSignOnCookie } from '$lib/server/session/cookie';

/** Back from the identity provider, with what it says of who came. */
export const GET = async (event) => {
	const { url, cookies, request } = event;
	const provider = await providerOf(url.origin);
	if (!provider) redirect(303, '/sign-in');
	let to: string;
	try {
		const kept = takeSignOnCookie(cookies, url);
		const back = await backFromProvider(provider, url, kept);
		const browser = cookies.get(browserCookie(url));
		const token = await openSession(back.person, {
			address: addressOf(event),
			browser,
			userAgent: request.headers.get('user-agent') ?? '',
			acceptLanguage: (request.headers.get('accept-language') ?? '').slice(0, 200)
		});
		setSessionCookie(cookies, token, url);
		const known = await rememberBrowser(token, browser);
		if (known) setBrowserCookie(cookies, known, url);
		to = ownPlace(back.to, url.origin);
	} catch (failure) {
		const fault = asFault(failure);
		if (!fault) throw failure;
		redirect(303, `/sign-in?problem=${encodeURIComponent(fault.code)}`);
	}
	redirect(303, to);
};
