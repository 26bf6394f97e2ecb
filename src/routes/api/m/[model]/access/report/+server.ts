import { grantGrid, reachGrid, reachRows, unusedGrid, whoMayGrid, whoMaySchema } from '$lib/server/access';
import { answerCsv, answerFile } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { lockGrid } from '$lib/server/locks';
import type { SignedIn } from '$lib/server/session';
import { guarded, toCsv, toWorkbook } from '$lib/server/structure/sheets';

const REPORTS = ['who', 'reach', 'unused', 'grants', 'locks'] as const;

function gridOf(of: (typeof REPORTS)[number], person: SignedIn | undefined, modelId: number, search: URLSearchParams) {
	switch (of) {
		case 'grants':
			return grantGrid(person, modelId);
		case 'locks':
			return lockGrid(person, modelId);
		case 'unused':
			return unusedGrid(person, modelId);
		case 'reach':
			return reachGrid(person, modelId, Number(search.get('dimension')) || 0);
		case 'who': {
			const figure = whoMaySchema.safeParse({
				members: (search.get('members') ?? '').split('.', 41).map(Number),
				period: Number(search.get('period'))
			});
			if (!figure.success) throw new Fault(400, 'not understood', 'Say which figure: its members and its period.');
			return whoMayGrid(person, modelId, figure.data);
		}
		default:
			return of satisfies never;
	}
}

async function* guardedRows(parts: AsyncGenerator<string[][]>): AsyncGenerator<string[][]> {
	for await (const rows of parts) yield rows.map((row) => row.map(guarded));
}

/** Reports on access as a file: who may read and write a figure, who reaches what, rights that are not used, what is granted. */
export const GET = ({ locals: { person, modelId }, url }) => {
	const as = url.searchParams.get('as') === 'xlsx' ? 'xlsx' : 'csv';
	// Of everybody and everything it is long: sent part by part.
	if (as === 'csv' && url.searchParams.get('of') === 'reach')
		return answerCsv(async () => {
			const { name, rows } = await reachRows(person, modelId, Number(url.searchParams.get('dimension')) || 0);
			return { name, rows: () => guardedRows(rows()) };
		});
	return answerFile(as, async () => {
		const of = REPORTS.find((each) => each === (url.searchParams.get('of') ?? 'who'));
		if (!of) throw new Fault(404, 'not found', 'There is no such report.');
		const { name, grid } = await gridOf(of, person, modelId, url.searchParams);
		const safe = grid.map((row) => row.map(guarded));
		return { name, bytes: as === 'xlsx' ? await toWorkbook(name, safe) : Buffer.from(toCsv(safe)) };
	});
};
