import { error, json } from '@sveltejs/kit';
import type { z } from 'zod';
import { Fault } from './fault';

/** Runs a server function for an API route: its result as JSON, a Fault as its sentence and status. */
export async function answer(work: () => Promise<unknown>): Promise<Response> {
	try {
		return json((await work()) ?? {});
	} catch (failure) {
		if (failure instanceof Fault)
			return json({ code: failure.code, message: failure.message, details: failure.details }, { status: failure.status });
		throw failure;
	}
}

/** Runs a server function for a page's load; a Fault becomes the error page with its sentence. */
export async function forPage<Result>(work: () => Promise<Result>): Promise<Result> {
	try {
		return await work();
	} catch (failure) {
		if (failure instanceof Fault) error(failure.status, { message: failure.message, code: failure.code });
		throw failure;
	}
}

/** A request's JSON body by its schema. @throws Fault 400 */
export async function readBody<Schema extends z.ZodType>(
	request: Request,
	schema: Schema,
	mostBytes = 4_000_000
): Promise<z.infer<Schema>> {
	if (Number(request.headers.get('content-length') ?? 0) > mostBytes)
		throw new Fault(413, 'too large', 'This is too much at once. Paste a smaller block.');
	let body: unknown;
	try {
		body = await request.json();
	} catch {
		throw new Fault(400, 'not understood', 'The request could not be read. Reload the page and try again.');
	}
	const parsed = schema.safeParse(body);
	if (!parsed.success) {
		const first = parsed.error.issues[0];
		throw new Fault(
			400,
			'not understood',
			`The request could not be read (${first?.path.join('.')}: ${first?.message}). Reload the page and try again.`
		);
	}
	return parsed.data;
}
