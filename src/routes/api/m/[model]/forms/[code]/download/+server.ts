import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { formGrid, formWorkbook } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import { toCsv } from '$lib/server/structure';

/** The form as a file, for the choices of the address. */
export async function GET({ locals, params, url }) {
	const choices = readChoices(url.searchParams);
	try {
		const isBook = url.searchParams.get('as') === 'xlsx';
		const file = isBook
			? await formWorkbook(locals.person, locals.modelId, params.code, choices)
			: await formGrid(locals.person, locals.modelId, params.code, choices).then(({ name, grid }) => ({
					name,
					bytes: Buffer.from(toCsv(grid))
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
