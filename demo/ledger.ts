// The files the demo's other systems would write, and the maps their codes need.
import { figures, type Figure } from './figures';
import { monthFacts } from './months';
import { seededRandom, seedOf } from './random';
import { ADMINISTRATION_ACCOUNTS, FLEET_CARE_ACCOUNTS, PAY_ACCOUNTS } from './structure';

/** The month whose files wait to be loaded. */
export const FILE_MONTH = '2026-09';

/** The ledger's own code of an account: another numbering, as ledgers have. */
export const ledgerCode = (account: string): string =>
	({ '40': '70', '41': '71', '60': '50', '61': '51', '62': '52', '63': '53', '64': '54', '67': '57' })[account.slice(0, 2)]! +
	account.slice(2);

/** The ledger's name of a unit: line and department. */
export const ledgerUnit = (entity: string, department: string): string =>
	`${{ NOR: 'N', SKE: 'S', AMB: 'A', SVC: 'G' }[entity]}-${department}`;

/** The ledger's route names. */
export const ledgerRoute = (route: string): string => (route === 'NOROUTE' ? '' : `RT-${route.slice(1)}`);

const INCOME = ['4010', '4020', '4030', '4040', '4110', '4120', '4130'];
const PLAIN = ['6010', '6020', '6030', '6040', '6050', '6210', '6220', '6310', '6320', '6330'];

/** Lines of the ledger's account map: member codes, kinds and terms. */
export function accountMapLines() {
	const single = (account: string, reverseSign = false) => ({
		kind: 'single',
		member: account,
		reverseSign,
		terms: { value: ledgerCode(account) }
	});
	return [
		...INCOME.map((account) => single(account, true)),
		...PLAIN.map((account) => single(account)),
		// Regular, relief and cadet pay are three accounts there and one here.
		{ kind: 'span', member: '6100', reverseSign: false, terms: { from: '5100', to: '5109' } },
		...PAY_ACCOUNTS.slice(1).map(([account]) => single(account)),
		...FLEET_CARE_ACCOUNTS.filter(([account]) => account !== '6470').map(([account]) => single(account)),
		{ kind: 'any of', member: '6470', reverseSign: false, terms: { values: ['5470', '5471', '5478'] } },
		...ADMINISTRATION_ACCOUNTS.map(([account]) => single(account))
	];
}

/** The month's ledger extract: `;` between fields, dates DD.MM.YYYY, minus behind the amount, revenue as credits. */
export function ledgerFile(): string {
	const facts = monthFacts(FILE_MONTH, 'ACT', 'FINAL');
	const random = seededRandom(90_210);
	const lines = ['Account;Unit;Route;Posting date;Text;Amount'];
	for (const figure of figures()) {
		if (figure.system !== 'ledger') continue;
		const amount = figure.amount(facts);
		const sign = INCOME.includes(figure.account) ? -1 : 1;
		const postings = figure.account === '6100' ? 3 : 1 + Math.floor(random() * 2.4);
		let left = amount;
		for (let posting = 0; posting < postings; posting++) {
			const part = posting === postings - 1 ? left : Math.round((amount / postings) * (0.8 + 0.4 * random()) * 100) / 100;
			left = Math.round((left - part) * 100) / 100;
			const code =
				figure.account === '6100' ? String(5100 + posting) : figure.account === '6470' && posting > 0 ? '5471' : ledgerCode(figure.account);
			const day = String(1 + Math.floor(random() * 30)).padStart(2, '0');
			lines.push(
				[
					code,
					ledgerUnit(figure.entity, figure.department),
					ledgerRoute(figure.route),
					`${day}.09.2026`,
					textOf(figure),
					written(part * sign)
				].join(';')
			);
		}
	}
	// What real extracts bring along: a new account nobody has mapped, a unit that does not exist, a slip in a date.
	const odd = [
		['5305', 'A-EN', 'RT-08', '04.09.2026', 'Marine diesel, trial delivery', written(88_604.12)],
		['5305', 'N-EN', 'RT-05', '11.09.2026', 'Marine diesel, trial delivery', written(61_733)],
		['5305', 'N-EN', 'RT-06', '18.09.2026', 'Marine diesel, trial delivery', written(30_410.5)],
		['5710', 'X-AD', '', '09.09.2026', 'Licence moved from old unit', written(1_250)],
		['5720', 'G-AD', '', '31.09.2026', 'Insurance, second half', written(19_950)],
		['5725', 'G-AD', '', '12.09.2026', 'Audit, to be agreed', 'open']
	];
	odd.forEach((row, index) => lines.splice(40 + index * 211, 0, row.join(';')));
	return lines.join('\r\n') + '\r\n';
}

/** The ticketing system's counts of the month, `,` between fields. */
export function ticketingFile(): string {
	const facts = monthFacts(FILE_MONTH, 'ACT', 'FINAL');
	const lines = ['month,line,route,measure,count'];
	for (const figure of figures()) {
		if (figure.system !== 'ticketing') continue;
		lines.push(['202609', figure.entity, figure.route, MEASURES[figure.account], String(figure.amount(facts))].join(','));
	}
	return lines.join('\n') + '\n';
}

/** The ticketing system's words for what it counts. */
export const MEASURES: Record<string, string> = { S10: 'departures', S20: 'capacity', S30: 'pax', S40: 'vehicles', S50: 'lane metres' };

/** An amount as the ledger writes it: spaces between thousands, a point, the minus behind. */
function written(amount: number): string {
	const [whole = '', cents = '00'] = Math.abs(amount).toFixed(2).split('.');
	return `${whole.replace(/\B(?=(\d{3})+$)/g, ' ')}.${cents}${amount < 0 ? '-' : ''}`;
}

function textOf(figure: Figure): string {
	const words = ['Monthly posting', 'Invoice', 'Settlement', 'Accrual', 'Collective entry'];
	return words[seedOf(figure.account + figure.route) % words.length]!;
}
