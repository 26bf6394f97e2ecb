import { error } from '@sveltejs/kit';
import {
	asView,
	branchFor,
	importsForBranches,
	peopleForBranches,
	readBranchLoads,
	readBranchRuns,
	readChanges,
	readComments
} from '$lib/server/branch';
import { listRunbooks } from '$lib/server/runbook';
import { requirePermission } from '$lib/server/session';

export const load = async ({ locals, params, url }) => {
	const person = requirePermission(locals.person, 'form.read');
	const id = Number(params.id);
	if (!Number.isInteger(id) || id > 2_147_483_647) error(404, { message: 'There is no such branch.' });
	const shown = asView(person, await branchFor(person, locals.modelId, id));
	const whole = (name: string) => (/^\d{1,9}$/.test(url.searchParams.get(name) ?? '') ? Number(url.searchParams.get(name)) : null);
	const filter = {
		find: (url.searchParams.get('find') ?? '').slice(0, 200),
		account: whole('account'),
		person: whole('by'),
		movedOnly: url.searchParams.has('moved')
	};
	const from = whole('from') ?? 0;
	return {
		shown,
		filter,
		from,
		changes: await readChanges(person, locals.modelId, { id, ...filter, from }),
		runs: await readBranchRuns(person, id),
		runbooks:
			shown.mayWork && ['rule.read', 'rule.run'].every((each) => person.permissions.includes(each as 'rule.read'))
				? (await listRunbooks(person, locals.modelId)).map(({ id, name }) => ({ id, name }))
				: [],
		loads: await readBranchLoads(person, id),
		imports:
			shown.mayWork && (['data.load', 'data.read'] as const).every((each) => person.permissions.includes(each))
				? await importsForBranches(locals.modelId)
				: [],
		comments: await readComments(id),
		people: shown.mayDecide ? (await peopleForBranches(locals.modelId)).filter((each) => each.id !== shown.madeBy?.id) : []
	};
};
