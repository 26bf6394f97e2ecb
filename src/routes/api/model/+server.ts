import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { pool } from '$lib/server/database';
import { listModels } from '$lib/server/database/definitions';
import { notFound } from '$lib/server/fault';
import { MODEL_COOKIE } from '$lib/server/session/cookie';

/** Chooses the model to work in. */
export const POST = ({ request, cookies }) =>
	answer(async () => {
		const { id } = await readBody(request, z.object({ id: z.number().int() }));
		if (!(await listModels(pool())).some((model) => model.id === id)) throw notFound('model');
		cookies.set(MODEL_COOKIE, String(id), { path: '/', httpOnly: true, sameSite: 'lax', maxAge: 60 * 60 * 24 * 365, secure: false });
	});
