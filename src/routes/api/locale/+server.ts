import { z } from 'zod';
import { LOCALES } from '$lib/core';
import { answer, readBody } from '$lib/server/answer';
import { pool } from '$lib/server/database';

const body = z.object({ locale: z.enum(LOCALES) });

/** How the person who is signed in writes numbers and dates. */
export const POST = ({ request, locals }) =>
	answer(async () => {
		const { locale } = await readBody(request, body);
		await pool().query('UPDATE person SET locale = $2, locale_chosen = true WHERE id = $1', [locals.person!.id, locale]);
	});
