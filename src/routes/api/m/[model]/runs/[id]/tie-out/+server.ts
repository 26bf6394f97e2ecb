import { answer } from '$lib/server/answer';
import { Fault, notFound } from '$lib/server/fault';
import { tieOutGrid, tieOutWorkbook } from '$lib/server/runbook';
import { guarded, toCsv } from '$lib/server/structure/sheets';

/** The proof of a run's allocations as a file. */
export async function GET({ locals, params, url }) {
	try {
		const run = Number(params.id);
		if (!Number.isInteger(run)) throw notFound('run');
		const isBook = url.searchParams.get('as') === 'xlsx';
		const file = isBook
			? await tieOutWorkbook(locals.person, locals.modelId, run)
			: await tieOutGrid(locals.person, locals.modelId, run).then(({ name, grid }) => ({
					name,
					bytes: Buffer.from(toCsv(grid.map((row) => row.map((cell) => (typeof cell === 'number' ? String(cell) : guarded(cell))))))
				}));
		return new Response(new Uint8Array(file.bytes), {
			headers: {
				'content-type': isBook ? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' : 'text/csv; charset=utf-8',
				'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(`${file.name}.${isBook ? 'xlsx' : 'csv'}`)}`,
				'cache-control': 'no-store'
			}
		});
	} catch (failure) {
		if (failure instanceof Fault) return answer(() => Promise.reject(failure));
		throw failure;
	}
}
