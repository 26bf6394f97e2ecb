import {
	accessJournal,
	accessNames,
	figureDimensions,
	readGrantsOfModel,
	readGroups,
	readOutbox,
	readPeople,
	readRoles,
	unusedRights
} from '$lib/server/access';
import { forPage } from '$lib/server/answer';
import { OPERATIONS } from '$lib/server/programs';
import { permissionCatalogue, readTokens, SCOPES, type Scope } from '$lib/server/session';
import type { PageServerLoad } from './$types';

const VIEWS = ['people', 'groups', 'roles', 'grants', 'why', 'reach', 'unused', 'changes', 'directory', 'programs', 'letters'] as const;
export type AccessView = (typeof VIEWS)[number];

/** One part of access at a time, named in the address. */
export const load = (({ locals: { person, modelId, models }, url }) =>
	forPage(async () => {
		const asked = url.searchParams.get('view');
		const figure = (url.searchParams.get('figure') ?? '')
			.split('.', 41)
			.map(Number)
			.filter((id) => Number.isInteger(id) && id > 0 && id < 2 ** 31);
		const view = VIEWS.find((each) => each === asked) ?? 'people';
		const isFor = (...views: AccessView[]) => views.includes(view);
		return {
			view,
			mayWriteEverywhere: person!.everywhere?.includes('access.write') ?? false,
			mayLook: (person!.everywhere?.includes('access.look') ?? false) && !person!.acting,
			mayMakeTokens: person!.permissions.includes('access.tokens') && person!.acting?.way !== 'look',
			catalogue: permissionCatalogue(),
			names: await accessNames(person, models),
			people: isFor('people') ? await readPeople(person) : [],
			groups: isFor('groups') ? await readGroups(person) : [],
			roles: isFor('roles', 'people', 'groups') ? await readRoles(person) : [],
			grants: isFor('grants') ? await readGrantsOfModel(person, modelId) : null,
			dimensions: isFor('why', 'reach') ? await figureDimensions(person, modelId, figure) : [],
			unused: isFor('unused') ? await unusedRights(person, modelId) : [],
			changes: isFor('changes') ? await accessJournal(person, modelId) : [],
			tokens: isFor('programs') ? await readTokens(person) : [],
			scopes: isFor('programs') ? Object.entries(SCOPES).map(([scope, { words }]) => ({ scope: scope as Scope, words })) : [],
			operations: isFor('programs') ? OPERATIONS.map(({ method, path, summary }) => ({ method, path, summary })) : [],
			letters: isFor('letters') ? await readOutbox(person) : []
		};
	})) satisfies PageServerLoad;
