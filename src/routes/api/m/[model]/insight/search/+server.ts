import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { search, searchSchema } from '$lib/server/insight';
import { requirePermission } from '$lib/server/session';

export const GET = ({ locals, url }) =>
	answer(async () => {
		requirePermission(locals.person, 'form.read');
		const asked = searchSchema.safeParse({ text: url.searchParams.get('text') ?? '' });
		if (!asked.success) throw new Fault(400, 'not understood', 'Type two letters at least.');
		return search(locals.person, locals.modelId, asked.data);
	});
