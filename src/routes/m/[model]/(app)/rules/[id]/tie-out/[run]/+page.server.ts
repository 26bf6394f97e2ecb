import { forPage } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { readRun } from '$lib/server/runbook';
import { requirePermission } from '$lib/server/session';
import type { PageServerLoad } from './$types';

export const load = (({ locals, params }) =>
	forPage(async () => {
		requirePermission(locals.person, 'rule.read');
		const [runbook, id] = [Number(params.id), Number(params.run)];
		if (!Number.isInteger(id) || !Number.isInteger(runbook)) throw notFound('run');
		const { name, at, state, revision, outOfDate, log } = await readRun(locals.person, locals.modelId, id);
		return { runbook, run: { id, name, at, state, revision, outOfDate, log } };
	})) satisfies PageServerLoad;
