import { error, json } from '@sveltejs/kit';
import { standInLetsIn } from '$lib/server/session';
import { redeemCode } from '$lib/server/simulated/identity';

export const POST = async ({ request, url }) => {
	if (!(await standInLetsIn(url.origin))) error(404, 'There is nothing at this address.');
	if (Number(request.headers.get('content-length') ?? 0) > 16_384) return json({ error: 'invalid_request' }, { status: 413 });
	const form = await request.formData().catch(() => new FormData());
	const tokens = await redeemCode(form, `${url.origin}/simulated/identity`);
	return tokens ? json(tokens) : json({ error: 'invalid_grant' }, { status: 400 });
};
