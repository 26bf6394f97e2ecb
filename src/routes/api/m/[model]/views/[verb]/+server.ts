import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	asFormSchema,
	branchSchema,
	changeView,
	changeViewSchema,
	dropView,
	keepView,
	keepViewSchema,
	membersForView,
	selectForView,
	selectSchema,
	startView,
	startViewSchema,
	viewAsForm,
	viewOnly
} from '$lib/server/insight';

/** What can be asked: by verb, how its body is understood and who answers. */
const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>) => Promise<unknown>
) => ({ run: async (request: Request, { person, modelId }: App.Locals) => work(person, modelId, await readBody(request, schema)) });

const VERBS = {
	start: verb(startViewSchema, startView),
	change: verb(changeViewSchema, changeView),
	keep: verb(keepViewSchema, keepView),
	drop: verb(viewOnly, dropView),
	'as-form': verb(asFormSchema, viewAsForm),
	select: verb(selectSchema, selectForView),
	branch: verb(branchSchema, membersForView)
};

export const POST = ({ request, locals, params }) =>
	answer(() => {
		const asked = Object.hasOwn(VERBS, params.verb) ? VERBS[params.verb as keyof typeof VERBS] : undefined;
		if (!asked) throw notFound('page');
		return asked.run(request, locals);
	});
