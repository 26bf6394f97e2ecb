import { answer } from '$lib/server/answer';
import { listJobs } from '$lib/server/jobs';

export const GET = ({ locals }) => answer(async () => ({ jobs: await listJobs(locals.person, locals.modelId) }));
