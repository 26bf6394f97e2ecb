import { isLedgerToken, ledgerPage } from '$lib/server/simulated/ledger';
import { json } from '@sveltejs/kit';

const MONTH = /^\d{4}-(0[1-9]|1[0-2])$/;

/** The simulated ledger's answer to whoever knows its token: postings by page. */
export function GET({ request, url }) {
	const token = /^Bearer (.+)$/.exec(request.headers.get('authorization') ?? '')?.[1] ?? '';
	if (!isLedgerToken(token)) return json({ error: 'unauthorized' }, { status: 401 });
	const from = url.searchParams.get('from') ?? '';
	const to = url.searchParams.get('to') ?? '';
	const page = Number(url.searchParams.get('page') ?? 0);
	if (!MONTH.test(from) || !MONTH.test(to) || !Number.isSafeInteger(page) || page < 0)
		return json({ error: 'bad request' }, { status: 400 });
	return json(ledgerPage(url.searchParams.get('company') ?? '', from, to, page));
}
