import { onNews, type EngineNews } from '$lib/server/engine';
import { eventStream, type Sender } from '$lib/server/events';
import { answer } from '$lib/server/answer';
import { log } from '$lib/server/log';
import { requirePermission, type SignedIn } from '$lib/server/session';
import { pool } from '$lib/server/database';
import { modelVersions } from '$lib/server/database/structure-version';

/** Tells each new revision of the model, and each change of its structure, as it arrives. */
export async function GET({ locals: { person, token, modelId } }) {
	let reader: SignedIn;
	try {
		reader = requirePermission(person, 'form.read');
	} catch (failure) {
		return answer(() => Promise.reject(failure));
	}
	/** The latest that this page was told. */
	const told = { structure: -1, revision: -1 };
	const tell = ({ send }: Sender, news: EngineNews) => {
		// What moves in a branch concerns who works in it.
		if (news.kind === 'branch' && news.branch !== reader.branch?.id) return;
		if (news.kind === 'structure') told.structure = Math.max(told.structure, news.structure);
		else if (news.kind === 'revision') told.revision = Math.max(told.revision, news.revision);
		send(news.kind, news);
	};
	const tellLatest = (sender: Sender) =>
		modelVersions(pool(), modelId).then(
			({ revision, structure }) => {
				if (structure > told.structure) tell(sender, { kind: 'structure', structure });
				if (revision > told.revision) tell(sender, { kind: 'revision', revision });
			},
			(failure: unknown) => {
				log.warn({ err: failure }, 'the latest revision cannot be told');
				sender.end();
			}
		);
	return eventStream(
		{ person: reader.id, token: token ?? '' },
		(sender) => {
			// Who cannot hear any more is disconnected, and asks again.
			const stop = onNews(modelId, (news) => tell(sender, news), sender.end);
			// What came between the page and its line is told first, or the page would stay behind until the next change.
			void tellLatest(sender);
			return stop;
		},
		// What a page should have heard and did not: told again with every heartbeat.
		(sender) => void tellLatest(sender)
	);
}
