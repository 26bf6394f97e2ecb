import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import {
	checkBeforeRun,
	checkFreshness,
	copyRunbook,
	deleteRunbook,
	previewRun,
	readRunbook,
	saveRunbook,
	setRunbookSchedule,
	runRunbook
} from '$lib/server/runbook';
import { readAsks } from '$lib/server/runbook/asks';
import { runbookSchema } from '$lib/server/runbook/schema';
import { runbookScheduleSchema } from '$lib/server/runbook/schedule';
import { previewSchema, runSchema } from '$lib/server/runbook/plan';

const nothing = z.object({});

export const POST = ({ request, locals: { person, modelId }, params }) =>
	answer(async () => {
		const id = Number(params.id);
		if (!Number.isInteger(id)) throw notFound('runbook');
		switch (params.verb) {
			case 'read':
				await readBody(request, nothing);
				return readRunbook(person, modelId, id);
			case 'save':
				return saveRunbook(person, modelId, id, await readBody(request, runbookSchema));
			case 'asks':
				await readBody(request, nothing);
				return readAsks(person, modelId, id);
			case 'freshness':
				await readBody(request, nothing);
				return checkFreshness(person, modelId, id);
			case 'copy':
				await readBody(request, nothing);
				return copyRunbook(person, modelId, id);
			case 'delete':
				await readBody(request, nothing);
				return deleteRunbook(person, modelId, id);
			case 'check':
				return checkBeforeRun(person, modelId, id, await readBody(request, previewSchema));
			case 'preview':
				return previewRun(person, modelId, id, await readBody(request, previewSchema));
			case 'schedule':
				return { schedule: await setRunbookSchedule(person, modelId, id, await readBody(request, runbookScheduleSchema)) };
			case 'run':
				return runRunbook(person, modelId, id, await readBody(request, runSchema));
			default:
				throw notFound('action');
		}
	});
