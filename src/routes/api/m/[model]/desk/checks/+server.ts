import { answer } from '$lib/server/answer';
import { readChecks } from '$lib/server/desk';

export const GET = ({ locals: { person, modelId } }) => answer(() => readChecks(person, modelId));
