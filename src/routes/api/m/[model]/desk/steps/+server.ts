import { answer } from '$lib/server/answer';
import { leaveFirstSteps } from '$lib/server/desk';

export const DELETE = ({ locals: { person, modelId } }) => answer(() => leaveFirstSteps(person, modelId));
