import { accessNames } from '$lib/server/access';
import { forPage } from '$lib/server/answer';
import { roundBoard } from '$lib/server/cycle';
import { notFound } from '$lib/server/fault';
import type { PageServerLoad } from './$types';

export const load = (({ locals: { person, modelId, models }, params }) =>
	forPage(async () => {
		const id = Number(params.round);
		if (!Number.isInteger(id) || id < 1 || id > 2 ** 31) throw notFound('round');
		const board = await roundBoard(person, modelId, id);
		return {
			board,
			people:
				board.leads && person!.permissions.includes('access.read')
					? (await accessNames(person, models)).people.filter(({ active }) => active)
					: []
		};
	})) satisfies PageServerLoad;
