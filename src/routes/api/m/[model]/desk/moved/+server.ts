import { answer } from '$lib/server/answer';
import { forgetMoved } from '$lib/server/desk';

export const DELETE = ({ locals: { person, modelId } }) => answer(() => forgetMoved(person, modelId));
