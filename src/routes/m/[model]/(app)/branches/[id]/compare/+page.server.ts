import { error } from '@sveltejs/kit';
import { branchesFor, branchFor, compareBranches } from '$lib/server/branch';
import { listForms } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import { requirePermission } from '$lib/server/session';

export const load = async ({ locals, params, url }) => {
	const person = requirePermission(locals.person, 'form.read');
	const id = Number(params.id);
	if (!Number.isInteger(id) || id > 2_147_483_647) error(404, { message: 'There is no such branch.' });
	const shown = await branchFor(person, locals.modelId, id);
	const forms = await listForms(person, locals.modelId);
	const form = forms.find(({ code }) => code === url.searchParams.get('form')) ?? forms[0];
	const beside = url.searchParams
		.getAll('with')
		.map(Number)
		.filter((each) => Number.isInteger(each) && each !== id)
		.slice(0, 2);
	return {
		shown: { id, name: shown.name },
		others: (await branchesFor(person, locals.modelId))
			.filter((branch) => branch.id !== id && branch.state !== 'dropped')
			.map((branch) => ({ id: branch.id, name: branch.name })),
		beside,
		code: form?.code ?? null,
		comparison: form
			? await compareBranches(person, locals.modelId, {
					form: form.code,
					choices: readChoices(url.searchParams),
					branches: [id, ...beside]
				})
			: null
	};
};
