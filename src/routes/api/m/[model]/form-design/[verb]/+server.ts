import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { membersUnder, previewForm, readExpression, saveDesign, selectedMembers } from '$lib/server/form';
import { branchSchema, designSchema, previewSchema, selectSchema } from '$lib/server/form/design';
import { expressionTextSchema } from '$lib/server/form/expressions';

const verb = <Schema extends z.ZodType>(schema: Schema, work: (locals: App.Locals, body: z.infer<Schema>) => Promise<unknown>) => ({
	run: async (request: Request, locals: App.Locals) => work(locals, await readBody(request, schema))
});

/** What the maker of a form asks while it is not published yet. */
const VERBS = {
	create: verb(designSchema, ({ person, modelId }, design) => saveDesign(person, modelId, null, design)),
	preview: verb(previewSchema, ({ person, modelId }, asked) => previewForm(person, modelId, asked)),
	select: verb(selectSchema, ({ person, modelId }, asked) => selectedMembers(person, modelId, asked)),
	branch: verb(branchSchema, ({ person, modelId }, asked) => membersUnder(person, modelId, asked)),
	expression: verb(expressionTextSchema, ({ person, modelId }, asked) => readExpression(person, modelId, asked))
};

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (!Object.hasOwn(VERBS, params.verb)) throw notFound('action');
		return VERBS[params.verb as keyof typeof VERBS].run(request, locals);
	});
