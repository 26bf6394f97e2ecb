// The third model of the demo: every balance by what opened it, what moved it and what closes it.
import type { AccountDefinition, BalanceRole } from '../src/lib/core';
import { seededRandom } from './random';
import type { Branch } from './structure';

const balance = (kind: AccountDefinition['kind']): Branch['account'] => ({
	kind,
	valueType: 'money',
	timeBehaviour: 'closing',
	consolidation: 'sum',
	decimals: 2,
	unit: null
});

export const BALANCE_ACCOUNTS: Branch[] = [
	{
		code: 'NETA',
		name: 'Net assets',
		children: [
			{ code: 'VES', name: 'Vessels and quays', account: balance('asset') },
			{ code: 'DEB', name: 'Owed by customers', account: balance('asset') },
			{ code: 'CSH', name: 'Cash', account: balance('asset') },
			{ code: 'ACC', name: 'Accrued charges', weight: -1, account: balance('liability') },
			{ code: 'LOA', name: 'Ship loans', weight: -1, account: balance('liability') }
		]
	},
	{
		code: 'OWN',
		name: 'Owners’ funds',
		children: [
			{ code: 'ERN', name: 'Earned earlier', account: balance('equity') },
			{ code: 'RES', name: 'Result of the year', account: balance('equity') }
		]
	}
];

export const FLOWS: Branch[] = [
	{
		code: 'CLO',
		name: 'Closing balance',
		children: [
			{ code: 'OPN', name: 'Opening balance' },
			{ code: 'ADD', name: 'Additions' },
			{ code: 'DIS', name: 'Disposals and repayments', weight: -1 },
			{ code: 'TKB', name: 'Taken back' }
		]
	}
];

export const BALANCE_ROLES: Record<string, BalanceRole> = { OPN: 'opening', ADD: 'movement', DIS: 'movement', TKB: 'movement' };

/** An amount of a line: account, flow, and month counted from April of FY2028 (−1: the March before). */
export interface BalanceAmount {
	line: string;
	account: string;
	flow: string;
	month: number;
	amount: number;
}

/** What each line has at the end of March, and what moves in the two years after; owners' funds match net assets throughout. */
export function balanceAmounts(): BalanceAmount[] {
	const random = seededRandom(9_302);
	const found: BalanceAmount[] = [];
	for (const [line, size] of [
		['NOR', 1],
		['SKE', 11],
		['AMB', 1.3]
	] as const) {
		const put = (account: string, flow: string, month: number, amount: number) =>
			found.push({ line, account, flow, month, amount: Math.round(amount * 100) / 100 });
		const about = (thousands: number) => Math.round(thousands * 1_000 * size * (0.9 + random() * 0.2));
		const start = { VES: about(42_000), DEB: about(1_900), CSH: about(3_100), ACC: about(640), LOA: about(21_000), RES: about(1_250) };
		for (const [account, amount] of Object.entries(start)) put(account, 'OPN', -1, amount);
		put('ERN', 'OPN', -1, start.VES + start.DEB + start.CSH - start.ACC - start.LOA - start.RES);
		let accrued = start.ACC;
		for (let month = 0; month < 24; month++) {
			// Summer earns, winter costs.
			const season = Math.sin(((month % 12) / 12) * Math.PI * 2);
			const [result, bought, worn, owed, accrual, repaid] = [
				Math.round(about(140) + about(260) * season),
				month % 6 === 4 ? about(800) : 0,
				about(190),
				Math.round(about(120) * season),
				about(620),
				month % 3 === 2 ? about(350) : 0
			];
			put('RES', 'ADD', month, result);
			if (bought > 0) put('VES', 'ADD', month, bought);
			put('VES', 'DIS', month, worn);
			put('DEB', 'ADD', month, owed);
			put('ACC', 'ADD', month, accrual);
			if (repaid > 0) put('LOA', 'DIS', month, repaid);
			put('CSH', 'ADD', month, result - bought + worn - owed + accrual - accrued - repaid);
			accrued = accrual;
		}
	}
	return found;
}
