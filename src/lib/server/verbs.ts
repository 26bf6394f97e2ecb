import type { RequestEvent } from '@sveltejs/kit';
import type { z } from 'zod';
import { answer, readBody } from './answer';
import { notFound } from './fault';

/** One thing that can be asked at a route whose last part is a verb. */
export interface Verb {
	run(event: RequestEvent): Promise<unknown>;
}

/** A verb: how its body is understood, and who answers. The event is for what stands in the address. */
export const verb = <Schema extends z.ZodType>(
	schema: Schema,
	work: (person: App.Locals['person'], modelId: number, body: z.infer<Schema>, event: RequestEvent) => Promise<unknown>
): Verb => ({
	run: async (event) => work(event.locals.person, event.locals.modelId, await readBody(event.request, schema), event)
});

/** The handler of a route that ends in a verb: what is not among them is not there. */
export const answerVerbs = (verbs: Readonly<Record<string, Verb>>) => (event: RequestEvent) =>
	answer(async () => {
		const asked = event.params.verb ?? '';
		if (!Object.hasOwn(verbs, asked)) throw notFound('action');
		return verbs[asked]!.run(event);
	});
