import { answerFile } from '$lib/server/answer';
import { notFound } from '$lib/server/fault';
import { tieOutGrid, tieOutWorkbook } from '$lib/server/runbook';
import { guarded, toCsv } from '$lib/server/structure/sheets';

/** The proof of a run's allocations as a file. */
export const GET = ({ locals: { person, modelId }, params, url }) => {
	const as = url.searchParams.get('as') === 'xlsx' ? 'xlsx' : 'csv';
	return answerFile(as, async () => {
		const run = Number(params.id);
		if (!Number.isInteger(run)) throw notFound('run');
		if (as === 'xlsx') return tieOutWorkbook(person, modelId, run);
		const { name, grid } = await tieOutGrid(person, modelId, run);
		const texts = grid.map((row) => row.map((cell) => (typeof cell === 'number' ? String(cell) : guarded(cell))));
		return { name, bytes: Buffer.from(toCsv(texts)) };
	});
};
