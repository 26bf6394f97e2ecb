import { answer, answerCsv } from '$lib/server/answer';
import { Fault } from '$lib/server/fault';
import { journalRows, readJournal } from '$lib/server/insight';
import { journalAsk } from '$lib/server/insight/journal-address';
import { requirePermission } from '$lib/server/session';

/** A page of the journal, or all of what is asked for as CSV. */
export const GET = ({ locals, url }) => {
	const asked = () => {
		requirePermission(locals.person, 'form.read');
		const found = journalAsk(url.searchParams);
		if (!found) throw new Fault(400, 'not understood', 'This search cannot be read. Begin it again.');
		return found;
	};
	return url.searchParams.get('as') === 'csv'
		? answerCsv(async () => {
				const ask = asked();
				return { name: 'Journal', rows: () => journalRows(locals.person, locals.modelId, ask) };
			})
		: answer(async () => readJournal(locals.person, locals.modelId, asked()));
};
