import { page } from '$app/state';
import { at } from './at';
import { restatement, type ClosedFigures } from './restate.svelte';

/** The server's answer, or its sentence and what it says besides. */
export type Reply<Answer> = { ok: true; answer: Answer } | { ok: false; code: string; message: string; details?: unknown };

/** Whom the page was opened for: a request under another sign-in in the same browser is refused. */
export const asPerson = (): Record<string, string> => ({ 'x-person': String(page.data.person?.id ?? '') });

/**
 * Asks the server; a body is sent as JSON, a file or the parts of a form as they are. A session that ended leads to signing in.
 * @param path of the API, in the model this page is in
 * @param reason why closed figures shall move, where that was asked
 */
export async function request<Answer = Record<string, never>>(
	path: string,
	body?: unknown,
	method: 'GET' | 'POST' | 'DELETE' = body === undefined ? 'GET' : 'POST',
	reason?: string
): Promise<Reply<Answer>> {
	const restates: Record<string, string> = reason === undefined ? {} : { 'x-restate': encodeURIComponent(reason) };
	try {
		const response = await fetch(at(path), {
			method,
			...(body instanceof File || body instanceof FormData
				? { headers: { ...asPerson(), ...restates }, body }
				: {
						headers: { ...asPerson(), ...restates, ...(body !== undefined && { 'content-type': 'application/json' }) },
						...(body !== undefined && { body: JSON.stringify(body) })
					})
		});
		const answer = (await response.json()) as Answer & { code?: string; message?: string; details?: unknown };
		if (response.ok) return { ok: true, answer };
		if (response.status === 401) location.reload();
		if (answer.code === 'restates' && reason === undefined) {
			const said = await restatement.ask(answer.details as ClosedFigures);
			if (said) return await request<Answer>(path, body, method, said);
		}
		return {
			ok: false,
			code: answer.code ?? '',
			message: answer.message ?? 'The server could not answer. Try again.',
			details: answer.details
		};
	} catch {
		return {
			ok: false,
			code: 'unreachable',
			message:
				method === 'GET'
					? 'The server cannot be reached. Try again in a moment.'
					: 'The server cannot be reached, or its answer was lost. Look whether it was done before you try again.'
		};
	}
}

/** A CSV or XLSX file as a grid of texts, read by the server. */
export const readSheet = (file: File): Promise<Reply<{ grid: string[][] }>> =>
	request(`/api/structure/sheet?name=${encodeURIComponent(file.name)}`, file);
