import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { readWorkbook } from '$lib/server/form';
import { MOST_WORKBOOK_BYTES } from '$lib/server/form/workbook';

/** A workbook of the form that comes back: what it would do. */
export const POST = ({ request, locals, params }) =>
	answer(async () => {
		if (Number(request.headers.get('content-length') ?? 0) > MOST_WORKBOOK_BYTES)
			throw new Fault(413, 'too large', `The workbook is larger than ${MOST_WORKBOOK_BYTES / 1024 / 1024} MB.`);
		return readWorkbook(locals.person, locals.modelId, params.code, Buffer.from(await request.arrayBuffer()));
	});
