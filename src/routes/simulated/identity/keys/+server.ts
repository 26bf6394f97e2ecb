import { error, json } from '@sveltejs/kit';
import { standInLetsIn } from '$lib/server/session';
import { identityKeys } from '$lib/server/simulated/identity';

export const GET = async ({ url }) => {
	if (!(await standInLetsIn(url.origin))) error(404, 'There is nothing at this address.');
	return json(await identityKeys());
};
