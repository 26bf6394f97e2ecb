import { z } from 'zod';
import type { Scope, SignedIn, TokenHolder } from '../session';

/** What an operation is given: who asks, in which model, and what they say. */
export interface Asked<Body, Query> {
	person: SignedIn;
	modelId: number;
	/** What stands in the address in place of `{…}`. */
	place: Readonly<Record<string, string>>;
	query: Query;
	body: Body;
	/** Of an operation that takes a file: its bytes as they arrive. */
	stream: AsyncIterable<Uint8Array>;
}

/** One thing a program can ask for: what the document says of it is what is carried out. */
export interface Operation {
	method: 'GET' | 'POST';
	/** With `{model}` and others in the place of codes. */
	path: string;
	summary: string;
	/** What a token must be for; null for any. */
	scope: Scope | null;
	query: z.ZodObject;
	/** The JSON a caller sends; null where it sends none. */
	body: z.ZodType | null;
	/** How much a file may be; undefined for operations that take none. */
	file?: { bytes: number; words: string };
	answer: z.ZodType;
	status: 200 | 202;
	run: (asked: Asked<never, never>, holder: TokenHolder, models: readonly { id: number; code: string; name: string }[]) => Promise<unknown>;
}

/** Writes an operation with the types its schemas give. */
export const operation = <Body extends z.ZodType, Query extends z.ZodObject, Answer extends z.ZodType>(
	definition: Omit<Operation, 'query' | 'body' | 'answer' | 'run'> & {
		query?: Query;
		body?: Body;
		answer: Answer;
		run: (
			asked: Asked<z.infer<Body>, z.infer<Query>>,
			holder: TokenHolder,
			models: readonly { id: number; code: string; name: string }[]
		) => Promise<z.input<Answer>>;
	}
): Operation => ({ ...definition, query: definition.query ?? z.object({}), body: definition.body ?? null }) as unknown as Operation;
