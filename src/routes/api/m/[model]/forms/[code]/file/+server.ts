import { z } from 'zod';
import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { addFile } from '$lib/server/form';
import { placeSchema } from '$lib/server/form/beside';
import { MOST_LINK_BYTES } from '$lib/server/form/links';

const asked = z.object({ name: z.string().min(1).max(300), place: placeSchema });

/** Keeps a file beside a figure; the address says which. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		const parsed = asked.safeParse({ name: url.searchParams.get('name'), place: url.searchParams.get('place')?.split(',').map(Number) });
		if (!parsed.success) throw new Fault(400, 'not understood', 'Say what the file is called and where it belongs.');
		if (Number(request.headers.get('content-length') ?? 0) > MOST_LINK_BYTES)
			throw new Fault(
				413,
				'too large',
				`The file is larger than ${MOST_LINK_BYTES / 1024 / 1024} MB. Put it on a share and attach its address.`
			);
		return addFile(locals.person, locals.modelId, parsed.data.place, parsed.data.name, Buffer.from(await request.arrayBuffer()));
	});
