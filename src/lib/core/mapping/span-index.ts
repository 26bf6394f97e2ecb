interface Span {
	from: string;
	to: string;
}

interface Interval<Of, Value> {
	from: Value;
	to: Value;
	of: Of;
}

const numberOf = (text: string): number => (text.trim() === '' ? Number.NaN : Number(text));

/**
 * Spans sorted by their start, with the furthest end so far beside each: a look-up walks back from the last span that
 * begins at or before the value and stops where nothing earlier reaches it. O(log spans + spans met).
 */
export class SpanIndex<Of extends Span> {
	readonly #numeric: Sorted<Of, number>;
	readonly #text: Sorted<Of, string>;

	/** Both ends included; numeric where both ends are numbers, else text. */
	constructor(spans: readonly Of[]) {
		const isNumeric = ({ from, to }: Of) => Number.isFinite(numberOf(from)) && Number.isFinite(numberOf(to));
		this.#numeric = new Sorted(spans.filter(isNumeric).map((of) => ({ from: numberOf(of.from), to: numberOf(of.to), of })));
		this.#text = new Sorted(spans.filter((span) => !isNumeric(span)).map((of) => ({ from: of.from.trim(), to: of.to.trim(), of })));
	}

	/** The spans a value lies in. */
	matching(value: string): Of[] {
		const number = numberOf(value);
		return [...(Number.isNaN(number) ? [] : this.#numeric.at(number)), ...this.#text.at(value)];
	}
}

class Sorted<Of, Value extends number | string> {
	readonly #intervals: Interval<Of, Value>[];
	readonly #furthest: Value[] = [];

	constructor(intervals: Interval<Of, Value>[]) {
		this.#intervals = intervals.sort((a, b) => (a.from < b.from ? -1 : a.from > b.from ? 1 : 0));
		for (const { to } of this.#intervals) {
			const before = this.#furthest.at(-1);
			this.#furthest.push(before !== undefined && before > to ? before : to);
		}
	}

	at(value: Value): Of[] {
		let low = 0;
		let high = this.#intervals.length;
		while (low < high) {
			const middle = (low + high) >> 1;
			if (this.#intervals[middle]!.from <= value) low = middle + 1;
			else high = middle;
		}
		const found: Of[] = [];
		for (let index = low - 1; index >= 0 && this.#furthest[index]! >= value; index--)
			if (this.#intervals[index]!.to >= value) found.push(this.#intervals[index]!.of);
		return found.reverse();
	}
}
