import { forPage } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { openForm } from '$lib/server/form';
import { readChoices } from '$lib/server/form/open';
import type { PageServerLoad } from './$types';

/** More rows than this are no page to read. */
const MOST_ROWS = 2_000;

export const load = (async ({ locals, params, url }) => {
	const opened = await forPage(async () => {
		const form = await openForm(locals.person, locals.modelId, params.code, readChoices(url.searchParams));
		if (form.form.part || form.form.rows.length > MOST_ROWS)
			throw new Fault(413, 'too large', `This form has more than ${MOST_ROWS} rows. Choose a smaller part of it before printing.`);
		return form;
	});
	return { opened, locale: locals.person!.locale, person: locals.person!.name };
}) satisfies PageServerLoad;
