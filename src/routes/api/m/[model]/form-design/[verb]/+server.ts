import { membersUnder, previewForm, readExpression, saveDesign, selectedMembers } from '$lib/server/form';
import { branchSchema, designSchema, previewSchema, selectSchema } from '$lib/server/form/design';
import { expressionTextSchema } from '$lib/server/form/expressions';
import { answerVerbs, verb } from '$lib/server/verbs';

/** What the maker of a form asks while it is not published yet. */
const VERBS = {
	create: verb(designSchema, (person, modelId, design) => saveDesign(person, modelId, null, design)),
	preview: verb(previewSchema, (person, modelId, asked) => previewForm(person, modelId, asked)),
	select: verb(selectSchema, (person, modelId, asked) => selectedMembers(person, modelId, asked)),
	branch: verb(branchSchema, (person, modelId, asked) => membersUnder(person, modelId, asked)),
	expression: verb(expressionTextSchema, (person, modelId, asked) => readExpression(person, modelId, asked))
};

export const POST = answerVerbs(VERBS);
