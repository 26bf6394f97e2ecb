import { answer } from '$lib/server/answer';
import { cancelJob, readJob } from '$lib/server/jobs';

export const GET = ({ locals, params }) => answer(() => readJob(locals.person, locals.modelId, Number(params.job)));

export const DELETE = ({ locals, params }) => answer(() => cancelJob(locals.person, locals.modelId, Number(params.job)));
