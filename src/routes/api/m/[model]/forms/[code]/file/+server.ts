import { z } from 'zod';
import { answer } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { addFile } from '$lib/server/form';
import { placeSchema } from '$lib/server/form/beside';

const asked = z.object({ name: z.string().min(1).max(300), place: placeSchema });

/** Keeps a file beside a figure; the address says which. */
export const POST = ({ request, locals, url }) =>
	answer(async () => {
		const parsed = asked.safeParse({ name: url.searchParams.get('name'), place: url.searchParams.get('place')?.split(',').map(Number) });
		if (!parsed.success) throw new Fault(400, 'not understood', 'Say what the file is called and where it belongs.');
		return addFile(locals.person, locals.modelId, parsed.data.place, parsed.data.name, Buffer.from(await request.arrayBuffer()));
	});
