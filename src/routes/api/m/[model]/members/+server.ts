import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { findMembers, findSchema } from '$lib/server/structure';

export const GET = ({ locals, url }) =>
	answer(async () => {
		const asked = findSchema.safeParse(Object.fromEntries(url.searchParams));
		if (!asked.success) throw new Fault(400, 'not understood', 'Say in which dimension to look.');
		return { members: await findMembers(locals.person, locals.modelId, asked.data) };
	});
