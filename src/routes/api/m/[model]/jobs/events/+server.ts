import { answer } from '$lib/server/answer';
import { eventStream } from '$lib/server/events';
import { listJobs, onJobNews, readJob } from '$lib/server/jobs';
import { requirePermission } from '$lib/server/session';

/** Jobs under way, and each one as it moves on. */
export async function GET({ locals }) {
	const { person, modelId } = locals;
	try {
		requirePermission(person, 'data.read');
	} catch (failure) {
		return answer(() => Promise.reject(failure));
	}
	const jobs = await listJobs(person, modelId);
	return eventStream((send) => {
		for (const job of jobs.filter(({ state }) => state === 'waiting' || state === 'running')) send('job', job);
		return onJobNews((model, job) => {
			if (model === modelId)
				readJob(person, modelId, job).then(
					(found) => send('job', found),
					() => {}
				);
		});
	});
}
