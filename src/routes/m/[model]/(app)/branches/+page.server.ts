import { asView, branchesFor, partChoices, peopleForBranches, snapshotsFor } from '$lib/server/branch';
import { readChoices } from '$lib/server/form/open';
import { requirePermission } from '$lib/server/session';

export const load = async ({ locals, url }) => {
	const person = requirePermission(locals.person, 'form.read');
	const makes = person.permissions.includes('branch.write');
	const takes = makes && url.searchParams.has('snapshot');
	return {
		list: (await branchesFor(person, locals.modelId)).map((branch) => asView(person, branch)),
		snapshots: await snapshotsFor(person, locals.modelId),
		people: makes ? (await peopleForBranches(locals.modelId)).filter(({ id }) => id !== person.id) : [],
		/** What a snapshot can be of, where one is to be taken, and what was chosen where one came from. */
		part: takes ? { choices: await partChoices(person, locals.modelId), chosen: readChoices(url.searchParams).members } : null
	};
};
