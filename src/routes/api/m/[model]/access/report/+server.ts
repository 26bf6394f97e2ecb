import { whoMayGrid, whoMaySchema } from '$lib/server/access';
import { answerFile } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { guarded, toCsv, toWorkbook } from '$lib/server/structure/sheets';

/** Who may read and write a figure, as a file. */
export const GET = ({ locals: { person, modelId }, url }) => {
	const as = url.searchParams.get('as') === 'xlsx' ? 'xlsx' : 'csv';
	return answerFile(as, async () => {
		const figure = whoMaySchema.safeParse({
			members: (url.searchParams.get('members') ?? '').split('.', 41).map(Number),
			period: Number(url.searchParams.get('period'))
		});
		if (!figure.success) throw new Fault(400, 'not understood', 'Say which figure: its members and its period.');
		const { name, grid } = await whoMayGrid(person, modelId, figure.data);
		const safe = grid.map((row) => row.map(guarded));
		return { name, bytes: as === 'xlsx' ? await toWorkbook(name, safe) : Buffer.from(toCsv(safe)) };
	});
};
