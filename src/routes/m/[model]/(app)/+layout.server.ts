import { branchFor, branchNames } from '$lib/server/branch';
import { listForms } from '$lib/server/form';
import { myWork } from '$lib/server/cycle';
import { importsInShort } from '$lib/server/import';
import { listRunbooks } from '$lib/server/runbook';
import { readMarkChoice, type SignedIn } from '$lib/server/session';
import type { LayoutServerLoad } from './$types';

/** What the ribbon says of the branch that is worked in. */
async function ribbonOf(person: SignedIn, modelId: number) {
	const { id, name, due, cells, state, partWords, rates } = await branchFor(person, modelId, person.branch!.id);
	return { id, name, due, cells, state, partWords, rates: rates?.byName ?? '', whyNot: person.branch!.whyNot };
}

export const load = (async ({ locals, params, depends }) => {
	depends('app:branch');
	const person = locals.person!;
	const imports = person.permissions.includes('data.read') ? await importsInShort(person, locals.modelId) : [];
	return {
		person: {
			id: person.id,
			name: person.name,
			title: person.title,
			locale: person.locale,
			theme: person.theme,
			marks: await readMarkChoice(person.id),
			permissions: person.permissions,
			readsPart: person.readsPart ?? false,
			acting: person.acting ?? null
		},
		models: locals.models,
		/** As the address names it: what is loaded here is loaded anew when it names another model, or a branch of it. */
		place: params.model,
		branch: person.branch ? await ribbonOf(person, locals.modelId) : null,
		branches: await branchNames(person, locals.modelId),
		model: locals.models.find((model) => model.id === locals.modelId)!,
		imports,
		work: await myWork(person, locals.modelId),
		runbooks: person.permissions.includes('rule.read') ? await listRunbooks(person, locals.modelId) : [],
		forms: person.permissions.includes('form.read') ? await listForms(person, locals.modelId) : []
	};
}) satisfies LayoutServerLoad;
