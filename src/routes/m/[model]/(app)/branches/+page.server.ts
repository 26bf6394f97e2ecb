import { asView, branchesFor, peopleForBranches } from '$lib/server/branch';
import { requirePermission } from '$lib/server/session';

export const load = async ({ locals }) => {
	const person = requirePermission(locals.person, 'form.read');
	const makes = person.permissions.includes('branch.write');
	return {
		list: (await branchesFor(person, locals.modelId)).map((branch) => asView(person, branch)),
		people: makes ? (await peopleForBranches(locals.modelId)).filter(({ id }) => id !== person.id) : []
	};
};
