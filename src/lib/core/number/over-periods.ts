import { EMPTY, isEmpty } from './empty';
import { Sum } from './sum';

/**
 * What a leaf comes to over a run of periods, by a time behaviour: what adds up is added, balances are those of the last
 * (opening ones of the first) period, averages divide by the number of periods, the last value present stands, and what
 * has no behaviour shows in single periods only. One definition for forms, scripts and entries.
 * @param from first and last period, both included; none where the last lies before the first
 * @param at the value of a period, empty as NaN; only the periods that count are asked for
 */
export function overPeriods(
	behaviour: 'flow' | 'closing' | 'opening' | 'latest' | 'average' | 'none',
	from: number,
	to: number,
	at: (period: number) => number
): number {
	if (to < from) return EMPTY;
	switch (behaviour) {
		case 'closing':
			return at(to);
		case 'opening':
			return at(from);
		case 'none':
			return from === to ? at(from) : EMPTY;
		case 'latest':
			for (let period = to; period >= from; period--) {
				const value = at(period);
				if (!isEmpty(value)) return value;
			}
			return EMPTY;
		default: {
			const total = new Sum();
			for (let period = from; period <= to; period++) total.add(at(period));
			return behaviour === 'average' ? total.value / (to - from + 1) : total.value;
		}
	}
}
