import { stringify } from 'csv-stringify/sync';
import { z } from 'zod';
import { Fault } from '../../fault';
import { ledgerToken, type Posting } from '../../simulated/ledger';

const PATIENCE_MILLISECONDS = 30_000;
const MOST_PAGES = 20_000;
const TRIES = 3;

const pageSchema = z.object({
	postings: z.array(
		z.object({
			account: z.string(),
			unit: z.string(),
			route: z.string(),
			date: z.string(),
			text: z.string(),
			amount: z.string(),
			currency: z.string()
		})
	),
	next: z.string().nullable()
});

/** The headings under which the ledger's postings arrive. */
export const LEDGER_HEADINGS = ['Account', 'Unit', 'Route', 'Posting date', 'Text', 'Amount', 'Currency'];

/** Postings as rows of CSV under those headings. */
export const postingRows = (postings: readonly Posting[]): Buffer =>
	Buffer.from(
		stringify(
			postings.map(({ account, unit, route, date, text, amount, currency }) => [account, unit, route, date, text, amount, currency])
		)
	);

/**
 * The postings of the ledger service as CSV, page by page. `LEDGER_URL` names the service; without it the simulated one
 * that comes with this application is asked.
 * @param company a code, or empty for all
 * @param from, to months `YYYY-MM`, both included
 * @throws Fault when the service cannot be reached or answers otherwise than agreed
 */
export async function* ledgerRows(company: string, from: string, to: string): AsyncGenerator<Uint8Array> {
	const service = process.env.LEDGER_URL ?? `${process.env.ORIGIN ?? 'http://127.0.0.1:4173'}/simulated/ledger/postings`;
	yield Buffer.from(stringify([LEDGER_HEADINGS]));
	let next: string | null = '';
	for (let page = 0; next !== null && page < MOST_PAGES; page++) {
		const url: URL = new URL(service);
		url.search = new URLSearchParams({ company, from, to, ...(next === '' ? {} : { page: next }) }).toString();
		const answer: z.infer<typeof pageSchema> = await fetchPage(url);
		if (answer.postings.length > 0) yield postingRows(answer.postings);
		next = answer.next;
	}
}

/** A page; a connection that breaks is tried again, since pages are the same each time they are asked for. */
async function fetchPage(url: URL): Promise<z.infer<typeof pageSchema>> {
	for (let attempt = 1; ; attempt++) {
		try {
			const response = await fetch(url, {
				headers: { authorization: `Bearer ${process.env.LEDGER_TOKEN ?? ledgerToken()}` },
				signal: AbortSignal.timeout(PATIENCE_MILLISECONDS)
			});
			if (!response.ok) throw new Fault(422, 'ledger refused', `The ledger refused to answer (${response.status}).`);
			const page = pageSchema.safeParse(await response.json());
			if (!page.success) throw new Fault(422, 'ledger refused', 'The ledger answered otherwise than agreed. Nothing was loaded.');
			return page.data;
		} catch (error) {
			if (error instanceof Fault) throw error;
			if (attempt === TRIES)
				throw new Fault(
					422,
					'ledger away',
					'The ledger cannot be reached, or the connection broke off. Nothing was loaded; try again later.'
				);
			await new Promise((wait) => setTimeout(wait, 300 * attempt));
		}
	}
}
