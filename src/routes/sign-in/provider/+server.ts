import { redirect } from '@sveltejs/kit';
import { Fault } from '$lib/server/fault';
import { ownPlace } from '$lib/server/gate';
import { goToProvider, providerOf } from '$lib/server/session';
import { setSignOnCookie } from '$lib/server/session/cookie';

/** To the identity provider of the organisation. */
export const GET = async ({ url, cookies, locals }) => {
	const to = ownPlace(url.searchParams.get('to'), url.origin);
	if (locals.person) redirect(303, to);
	const provider = await providerOf(url.origin);
	if (!provider) redirect(303, '/sign-in');
	let address: string;
	try {
		const gone = await goToProvider(provider, `${url.origin}/sign-in/return`, to);
		setSignOnCookie(cookies, gone.kept, url);
		({ address } = gone);
	} catch (failure) {
		if (failure instanceof Fault) redirect(303, `/sign-in?problem=${encodeURIComponent(failure.code)}`);
		throw failure;
	}
	redirect(303, address);
};
