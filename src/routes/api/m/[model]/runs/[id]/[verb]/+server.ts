import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { cellsOfProof, provenCellsSchema, readRun, runbookOfRun, takeBackRun } from '$lib/server/runbook';

export const POST = ({ request, locals: { person, modelId }, params }) =>
	answer(async () => {
		const id = Number(params.id);
		if (!Number.isInteger(id)) throw notFound('run');
		if (params.verb === 'cells') return cellsOfProof(person, modelId, id, await readBody(request, provenCellsSchema));
		await readBody(request, z.object({}));
		switch (params.verb) {
			case 'read':
				return readRun(person, modelId, id);
			case 'keep':
				return runbookOfRun(person, modelId, id);
			case 'take-back':
				return takeBackRun(person, modelId, id);
			default:
				throw notFound('action');
		}
	});
