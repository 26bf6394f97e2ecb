import { error, redirect } from '@sveltejs/kit';
import { standInLetsIn } from '$lib/server/session';
import { askedFor, grantCode, pickable } from '$lib/server/simulated/identity';
import type { PageServerLoad } from './$types';

export const load = (async ({ url }) => {
	if (!(await standInLetsIn(url.origin))) error(404, 'There is nothing at this address.');
	const asked = askedFor(url.searchParams, url.origin);
	if (!asked) error(400, 'This simulated sign-on is for this application only.');
	const picked = url.searchParams.get('as');
	const code = picked === null ? undefined : grantCode(asked, picked);
	if (code) redirect(303, `${asked.redirect}?${new URLSearchParams({ code, state: asked.state })}`);
	return { people: pickable().map(({ id, name, title }) => ({ id, name, title })), search: url.search };
}) satisfies PageServerLoad;
