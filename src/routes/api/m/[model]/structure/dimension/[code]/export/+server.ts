import { answer } from '$lib/server/answer';
import { exportGrid, toCsv, toWorkbook } from '$lib/server/structure';

/** The members as a file, which can be edited and loaded again. */
export async function GET({ locals, params, url }) {
	const workbook = url.searchParams.get('format') === 'xlsx';
	let file: Buffer | string | undefined;
	const failed = await answer(async () => {
		const { name, grid } = await exportGrid(locals.person, locals.modelId, params.code);
		file = workbook ? await toWorkbook(name, grid) : toCsv(grid);
	});
	if (file === undefined) return failed;
	const type = workbook ? 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet' : 'text/csv; charset=utf-8';
	return new Response(typeof file === 'string' ? file : new Uint8Array(file), {
		headers: {
			'content-type': type,
			'content-disposition': `attachment; filename="${params.code.replaceAll(/[^a-z0-9-]/gi, '_')}.${workbook ? 'xlsx' : 'csv'}"`
		}
	});
}
