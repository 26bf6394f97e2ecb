import { error, json } from '@sveltejs/kit';
import { holdsDemo } from '$lib/server/session';
import { identityMetadata } from '$lib/server/simulated/identity';

export const GET = async ({ url }) => {
	if (!(await holdsDemo())) error(404, 'There is nothing at this address.');
	return json(identityMetadata(`${url.origin}/simulated/identity`));
};
