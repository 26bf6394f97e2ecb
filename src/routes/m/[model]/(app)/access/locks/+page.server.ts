import { accessNames } from '$lib/server/access';
import { forPage } from '$lib/server/answer';
import { readStanding } from '$lib/server/desk';
import { lockHistory, readBoardHead, readPeriodClose } from '$lib/server/locks';
import type { PageServerLoad } from './$types';

const VIEWS = ['board', 'period close', 'cycle', 'history'] as const;

export const load = (({ locals: { person, modelId, models }, url }) =>
	forPage(async () => {
		const view = VIEWS.find((each) => each === url.searchParams.get('layer')) ?? 'board';
		return {
			view,
			head: await readBoardHead(person, modelId),
			names: await accessNames(person, models),
			close: view === 'period close' ? await readPeriodClose(person, modelId) : null,
			standing:
				view === 'period close' &&
				(['structure.read', 'data.read'] as const).every((permission) => person!.permissions.includes(permission))
					? await readStanding(person!, modelId)
					: null,
			history: view === 'history' ? await lockHistory(person, modelId) : []
		};
	})) satisfies PageServerLoad;
