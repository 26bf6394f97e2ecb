import { error, json } from '@sveltejs/kit';
import { holdsDemo } from '$lib/server/session';
import { identityKeys } from '$lib/server/simulated/identity';

export const GET = async () => {
	if (!(await holdsDemo())) error(404, 'There is nothing at this address.');
	return json(await identityKeys());
};
