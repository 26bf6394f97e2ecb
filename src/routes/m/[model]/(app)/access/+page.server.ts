import {
	accessJournal,
	accessNames,
	figureDimensions,
	readGrantsOfModel,
	readGroups,
	readOutbox,
	readPeople,
	readRoles
} from '$lib/server/access';
import { forPage } from '$lib/server/answer';
import { permissionCatalogue } from '$lib/server/session';
import type { PageServerLoad } from './$types';

const VIEWS = ['people', 'groups', 'roles', 'grants', 'why', 'changes', 'letters'] as const;
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
		return {
			view,
			mayWriteEverywhere: person!.everywhere?.includes('access.write') ?? false,
			catalogue: permissionCatalogue(),
			names: await accessNames(person, models),
			people: view === 'people' ? await readPeople(person) : [],
			groups: view === 'groups' ? await readGroups(person) : [],
			roles: view === 'roles' || view === 'people' || view === 'groups' ? await readRoles(person) : [],
			grants: view === 'grants' ? await readGrantsOfModel(person, modelId) : null,
			dimensions: view === 'why' ? await figureDimensions(person, modelId, figure) : [],
			changes: view === 'changes' ? await accessJournal(person, modelId) : [],
			letters: view === 'letters' ? await readOutbox(person) : []
		};
	})) satisfies PageServerLoad;
