import { onNews } from '$lib/server/engine';
import { eventStream } from '$lib/server/events';
import { answer } from '$lib/server/answer';
import { modelVersions } from '$lib/server/form/open';
import { log } from '$lib/server/log';
import { requirePermission } from '$lib/server/session';

/** Tells each new revision of the model, and each change of its structure, as it arrives. */
export async function GET({ locals }) {
	try {
		requirePermission(locals.person, 'form.read');
	} catch (failure) {
		return answer(() => Promise.reject(failure));
	}
	return eventStream((send) => {
		const stop = onNews(locals.modelId, (news) => send(news.kind, news));
		// What came between the page and its line is told first, or the page would stay behind until the next change.
		modelVersions(locals.modelId).then(
			({ revision, structure }) => {
				send('structure', { kind: 'structure', structure });
				send('revision', { kind: 'revision', revision });
			},
			(failure: unknown) => log.error({ err: failure }, 'the latest revision cannot be told')
		);
		return stop;
	});
}
