import { branchesFor, compare, compareSchema, snapshotsFor } from '$lib/server/branch';
import { Fault } from '$lib/server/fault';
import { listForms } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import { requirePermission } from '$lib/server/session';

export const load = async ({ locals, url }) => {
	const person = requirePermission(locals.person, 'form.read');
	const forms = await listForms(person, locals.modelId);
	const form = forms.find(({ code }) => code === url.searchParams.get('form')) ?? forms[0];
	const asked = compareSchema.shape.sides.safeParse([...new Set(url.searchParams.getAll('side'))]);
	const sides = asked.success ? asked.data : ['plan'];
	const answer = form
		? await compare(person, locals.modelId, { form: form.code, choices: readChoices(url.searchParams), sides }).catch((error: unknown) => {
				// What does not fit is said beside the choices, where it can be mended.
				if (error instanceof Fault && error.status === 422) return error.message;
				throw error;
			})
		: null;
	return {
		sides,
		branches: (await branchesFor(person, locals.modelId))
			.filter(({ state }) => state !== 'dropped')
			.map(({ id, name }) => ({ key: `b${id}`, name })),
		snapshots: (await snapshotsFor(person, locals.modelId)).map(({ id, name }) => ({ key: `s${id}`, name })),
		forms,
		code: form?.code ?? null,
		comparison: typeof answer === 'string' ? null : answer,
		fault: typeof answer === 'string' ? answer : ''
	};
};
