import { isEmpty } from './empty';

/**
 * A compensated running sum that knows whether anything was added.
 * Source: A. Neumaier, "Rundungsfehleranalyse einiger Verfahren zur Summation endlicher Summen", ZAMM 54 (1974).
 */
export class Sum {
	#total = 0;
	#compensation = 0;
	#present = false;

	/** Adds a value; empty values are passed over. */
	add(value: number): void {
		if (isEmpty(value)) return;
		const next = this.#total + value;
		this.#compensation += Math.abs(this.#total) >= Math.abs(value) ? this.#total - next + value : value - next + this.#total;
		this.#total = next;
		this.#present = true;
	}

	/** The sum, or empty when nothing was added. */
	get value(): number {
		return this.#present ? this.#total + this.#compensation : Number.NaN;
	}
}

/** The compensated sum of the values that are present; empty when none is. */
export function sum(values: Iterable<number>): number {
	const total = new Sum();
	for (const value of values) total.add(value);
	return total.value;
}
