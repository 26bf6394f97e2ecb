import { onNews } from '$lib/server/engine';
import { eventStream } from '$lib/server/events';
import { answer } from '$lib/server/answer';
import { requirePermission } from '$lib/server/session';

/** Tells each new revision of the model, and each change of its structure, as it arrives. */
export async function GET({ locals }) {
	try {
		requirePermission(locals.person, 'form.read');
	} catch (failure) {
		return answer(() => Promise.reject(failure));
	}
	return eventStream((send) => onNews(locals.modelId, (news) => send(news.kind, news)));
}
