import { z } from 'zod';
import { readBody } from '../answer';
import { Fault, notFound } from '../fault';
import { limitBody } from '../gate';
import { SCOPES, type TokenHolder } from '../session';
import type { Operation } from './operation';
import { OPERATIONS } from './operations';

const USUAL = { bytes: 4 * 1024 ** 2, words: 'This is more than % at once.' };
const NOTHING: AsyncIterable<Uint8Array> = (async function* () {})();

/** The operation an address names, with what stands in it. @throws Fault 404 */
export function operationAt(method: string, path: string): { found: Operation; place: Record<string, string> } {
	const parts = path.split('/');
	for (const found of OPERATIONS) {
		const pattern = found.path.slice(1).split('/');
		if (found.method !== method || pattern.length !== parts.length) continue;
		const place: Record<string, string> = {};
		const fits = pattern.every((part, index) => {
			const name = /^\{(\w+)\}$/.exec(part)?.[1];
			if (!name) return part === parts[index];
			place[name] = parts[index]!;
			return place[name] !== '';
		});
		if (fits) return { found, place };
	}
	throw notFound('operation');
}

/**
 * Answers a program.
 * @throws Fault 401 without a token that holds, 403 where it is for something else, 404 in a model it is not for
 */
export async function answerProgram(
	holder: TokenHolder | undefined,
	models: readonly { id: number; code: string; name: string }[],
	{ request, path, search }: { request: Request; path: string; search: URLSearchParams }
): Promise<{ status: number; answer: unknown }> {
	if (!holder) throw new Fault(401, 'no token', 'Send an access token that holds, as a bearer token in the heading “Authorization”.');
	const { found, place } = operationAt(request.method, path);
	if (found.scope !== null && !holder.scopes.includes(found.scope))
		throw new Fault(403, 'not allowed', `This token is not there to ${SCOPES[found.scope].words}.`);
	const model = place.model === undefined ? undefined : models.find(({ code }) => code === place.model);
	if (place.model !== undefined && !model) throw new Fault(404, 'not found', 'There is no such model.');
	const query = found.query.safeParse(Object.fromEntries(search));
	if (!query.success) throw notUnderstood(query.error);
	const limited = limitBody(request, found.file ?? USUAL);
	const asked = {
		person: holder.known.in(model?.id ?? null),
		modelId: model?.id ?? 0,
		place,
		query: query.data,
		body: found.body ? await readBody(limited, found.body) : undefined,
		stream: found.file ? ((limited.body ?? NOTHING) as AsyncIterable<Uint8Array>) : NOTHING
	};
	return { status: found.status, answer: await found.run(asked as never, holder, models) };
}

function notUnderstood({ issues: [issue] }: z.ZodError): Fault {
	return new Fault(400, 'not understood', `${issue?.path.join('.') || 'The address'}: ${issue?.message}.`);
}
