import { answer } from '$lib/server/answer';
import { eventStream } from '$lib/server/events';
import { listJobs, onJobNews, readJob } from '$lib/server/jobs';
import { requirePermission, type SignedIn } from '$lib/server/session';

/** Jobs under way, and each one as it moves on. */
export async function GET({ locals }) {
	const { person, token, modelId } = locals;
	let reader: SignedIn;
	try {
		reader = requirePermission(person, 'data.read');
	} catch (failure) {
		return answer(() => Promise.reject(failure));
	}
	const jobs = await listJobs(person, modelId);
	return eventStream({ person: reader.id, token: token ?? '' }, ({ send, end }) => {
		for (const job of jobs.filter(({ state }) => state === 'waiting' || state === 'running')) send('job', job);
		return onJobNews((model, job) => {
			if (model === modelId)
				readJob(person, modelId, job).then(
					(found) => send('job', found),
					// What it was told of cannot be read: it asks anew for all that is under way.
					end
				);
		}, end);
	});
}
