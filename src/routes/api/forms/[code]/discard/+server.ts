import { answer } from '$lib/server/answer';
import { discardDraft } from '$lib/server/form';

export const POST = ({ locals }) => answer(() => discardDraft(locals.person, locals.modelId));
