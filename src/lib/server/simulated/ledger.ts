import { randomBytes, timingSafeEqual } from 'node:crypto';

// A ledger of another system, simulated: postings of any month, the same each time they are asked for.

/** A posting as the service hands it out: signed amount, debit positive. */
export interface Posting {
	account: string;
	unit: string;
	route: string;
	date: string;
	text: string;
	amount: string;
	currency: string;
}

export interface LedgerPage {
	postings: Posting[];
	/** What to ask for next; null at the end. */
	next: string | null;
}

const PAGE = 500;

const COMPANIES: Record<string, string> = { N: 'GBP', S: 'NOK', A: 'EUR', G: 'EUR' };
/** Account, departments that book on it, usual size of a posting, whether it differs by route. */
const BOOKINGS: readonly [account: string, units: readonly string[], size: number, byRoute: boolean][] = [
	['7010', ['BK'], -95_000, true],
	['7020', ['BK'], -38_000, true],
	['7110', ['SH'], -6_500, true],
	['5010', ['EN'], 52_000, true],
	['5020', ['TM'], 21_000, true],
	['5100', ['DK', 'EN', 'SH', 'TM'], 14_000, true],
	['5110', ['DK', 'EN', 'SH', 'TM'], 2_400, true],
	['5210', ['SH'], 3_100, true],
	['5400', ['FC'], 41_000, false],
	['5440', ['FC'], 11_500, false],
	['5700', ['AD', 'FC'], 58_000, false],
	['5710', ['AD'], 27_000, false]
];
const TEXTS = ['Settlement', 'Collective entry', 'Invoice run', 'Accrual', 'Correction'];

const shared = globalThis as unknown as { ledgerToken?: string };

/** The token of this process: only its own imports may ask the simulated ledger. */
export const ledgerToken = (): string => (shared.ledgerToken ??= randomBytes(24).toString('hex'));

export function isLedgerToken(token: string): boolean {
	const [given, own] = [Buffer.from(token), Buffer.from(ledgerToken())];
	return given.length === own.length && timingSafeEqual(given, own);
}

/** A page of the postings from a month to a month (`YYYY-MM`), of one company or (empty) all. */
export function ledgerPage(company: string, from: string, to: string, page: number): LedgerPage {
	const postings: Posting[] = [];
	const start = page * PAGE;
	let index = 0;
	for (const posting of allPostings(company, from, to)) {
		if (index >= start && index < start + PAGE) postings.push(posting);
		if (index++ >= start + PAGE) break;
	}
	return { postings, next: index > start + PAGE ? String(page + 1) : null };
}

function* allPostings(company: string, from: string, to: string): Generator<Posting> {
	for (let month = from; month <= to; month = nextMonth(month))
		for (const [code, currency] of Object.entries(COMPANIES)) {
			if (company !== '' && company !== code) continue;
			for (const [account, units, size, byRoute] of BOOKINGS)
				for (const unit of units)
					for (let route = 1; route <= (byRoute && code !== 'G' ? 10 : 1); route++) {
						const random = hash(`${month} ${code} ${account} ${unit} ${route}`);
						yield {
							account,
							unit: `${code}-${unit}`,
							route: byRoute && code !== 'G' ? `RT-${String(route).padStart(2, '0')}` : '',
							date: `${month}-${String(1 + (random % 28)).padStart(2, '0')}`,
							text: TEXTS[random % TEXTS.length]!,
							amount: (size * (0.7 + (random % 600) / 1_000)).toFixed(2),
							currency
						};
					}
		}
}

function nextMonth(month: string): string {
	const [year = 0, number = 0] = month.split('-').map(Number);
	return number === 12 ? `${year + 1}-01` : `${year}-${String(number + 1).padStart(2, '0')}`;
}

/** FNV-1a, 32 bits. Source: Fowler, Noll, Vo; http://www.isthe.com/chongo/tech/comp/fnv/ */
function hash(text: string): number {
	let value = 0x811c9dc5;
	for (let at = 0; at < text.length; at++) value = Math.imul(value ^ text.charCodeAt(at), 0x01000193);
	return value >>> 0;
}
