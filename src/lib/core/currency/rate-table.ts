import { dayNumber } from '../calendar';
import { EMPTY, isEmpty } from '../number';

export type RateKind = 'average' | 'closing' | 'historical';

/** Which rate of a period translates an amount: opening balances take the closing rate before the period. */
export type RateUse = RateKind | 'previous closing';

export interface RateDefinition {
	currency: string;
	kind: RateKind;
	/** Plain dates, both included. */
	from: string;
	to: string;
	/** Units of the currency for one unit of the pivot. */
	value: number;
}

export interface RateSetDefinition {
	id: number;
	name: string;
	pivot: string;
	rates: RateDefinition[];
}

interface RateSpan {
	from: number;
	to: number;
	value: number;
}

/** A closing rate older than this many days counts as missing. */
const OLDEST_CLOSING_DAYS = 62;

/** The rates of one rate set, ready for look-up by date. */
export class RateTable {
	readonly pivot: string;
	readonly #spans = new Map<string, RateSpan[]>();

	constructor(definition: RateSetDefinition) {
		this.pivot = definition.pivot;
		for (const rate of definition.rates) {
			const key = `${rate.kind} ${rate.currency}`;
			const spans = this.#spans.get(key) ?? [];
			spans.push({ from: dayNumber(rate.from), to: dayNumber(rate.to), value: rate.value });
			this.#spans.set(key, spans);
		}
		for (const spans of this.#spans.values()) spans.sort((a, b) => a.from - b.from);
	}

	/**
	 * What one unit of `from` is worth in `to` over a period; empty when a rate is missing.
	 * `average` weighs the spans by the days they overlap the period; `closing` takes the latest rate on or before its end;
	 * `historical` the latest one however old, or the closing rate where none is given.
	 */
	factor(from: string, to: string, kind: RateKind, periodStart: string, periodEnd: string): number {
		if (from === to) return 1;
		const source = this.#toPivot(from, kind, periodStart, periodEnd);
		const target = this.#toPivot(to, kind, periodStart, periodEnd);
		return source === 0 ? EMPTY : target / source;
	}

	/** Units of a currency for one unit of the pivot. */
	#toPivot(currency: string, kind: RateKind, periodStart: string, periodEnd: string): number {
		if (currency === this.pivot) return 1;
		const spans = this.#spans.get(`${kind} ${currency}`) ?? [];
		const start = dayNumber(periodStart);
		const end = dayNumber(periodEnd);
		if (kind !== 'average') {
			const latest = spans.findLast((span) => span.from <= end);
			if (kind === 'historical') return latest?.value ?? this.#toPivot(currency, 'closing', periodStart, periodEnd);
			return latest === undefined || end - Math.min(latest.to, end) > OLDEST_CLOSING_DAYS ? EMPTY : latest.value;
		}
		let days = 0;
		let weighted = 0;
		for (const span of spans) {
			const overlap = Math.min(span.to, end) - Math.max(span.from, start) + 1;
			if (overlap <= 0) continue;
			days += overlap;
			weighted += overlap * span.value;
		}
		// A period only partly covered would be translated at a guess.
		const covered = days === end - start + 1;
		return covered && !isEmpty(weighted) ? weighted / days : EMPTY;
	}
}
