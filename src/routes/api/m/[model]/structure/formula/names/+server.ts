import { answer } from '$lib/server/answer';
import { formulaVocabulary } from '$lib/server/structure';

export const GET = ({ locals }) => answer(() => formulaVocabulary(locals.person, locals.modelId));
