import { z } from 'zod';
import { answer, readBody } from '$lib/server/answer';
import { pool } from '$lib/server/database';

const body = z.object({ theme: z.enum(['paper', 'night']) });

export const POST = ({ request, locals }) =>
	answer(async () => {
		const { theme } = await readBody(request, body);
		await pool().query('UPDATE person SET theme = $2 WHERE id = $1', [locals.person!.id, theme]);
	});
