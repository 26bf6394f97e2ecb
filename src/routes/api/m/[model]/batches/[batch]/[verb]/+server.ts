import { answer, readBody } from '$lib/server/answer';
import { Fault, notFound } from '$lib/server/fault';
import {
	compareBatches,
	correctionsSchema,
	fileOfBatch,
	previewTakeBack,
	reloadRejects,
	rowOfBatch,
	startTakeBack
} from '$lib/server/import';
import { Readable } from 'node:stream';
import { z } from 'zod';

const takeBackSchema = z.object({ withLater: z.boolean() });

export const GET = ({ locals, params, url }) => {
	const batch = Number(params.batch);
	const { person, modelId } = locals;
	const number = (key: string) => {
		const value = Number(url.searchParams.get(key));
		if (!Number.isSafeInteger(value) || value < 1) throw new Fault(400, 'not understood', 'Write a line or a batch by its number.');
		return value;
	};
	switch (params.verb) {
		case 'take-back':
			return answer(() => previewTakeBack(person, modelId, batch));
		case 'row':
			return answer(async () => rowOfBatch(person, modelId, batch, number('line')));
		case 'compare':
			return answer(async () => compareBatches(person, modelId, batch, number('with')));
		case 'file':
			return download(locals, batch);
		default:
			return answer(() => Promise.reject(notFound('action')));
	}
};

export const POST = ({ request, locals, params }) =>
	answer(async () => {
		const batch = Number(params.batch);
		if (params.verb === 'reload')
			return reloadRejects(locals.person, locals.modelId, batch, (await readBody(request, correctionsSchema)).corrections);
		if (params.verb === 'take-back')
			return startTakeBack(locals.person, locals.modelId, batch, (await readBody(request, takeBackSchema)).withLater);
		throw notFound('action');
	});

/** The kept file as it came. */
async function download(locals: App.Locals, batch: number): Promise<Response> {
	try {
		const { name, bytes, stream } = await fileOfBatch(locals.person, locals.modelId, batch);
		return new Response(Readable.toWeb(Readable.from(stream)) as unknown as BodyInit, {
			headers: {
				'content-type': 'application/octet-stream',
				'content-length': String(bytes),
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`
			}
		});
	} catch (error) {
		if (error instanceof Fault) return answer(() => Promise.reject(error));
		throw error;
	}
}
