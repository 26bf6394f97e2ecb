import { Sum, type RowFault } from '../../../core';

/** Reasons told apart; further ones are counted together. */
const MOST_REASONS = 20_000;
const LINES_SHOWN = 8;

export interface Reason {
	fault: RowFault;
	/** What the source calls the value, where an import says which column does. */
	label: string;
	rows: number;
	amount: Sum;
	lines: number[];
}

/** Rejected rows counted by their reason. */
export class RejectTally {
	readonly #reasons = new Map<string, Reason>();
	/** Lines of all rejected rows. */
	readonly lines: number[] = [];

	add(fault: RowFault, line: number, amount: number, label: string): void {
		this.lines.push(line);
		const full = this.#reasons.size >= MOST_REASONS;
		let key = `${fault.code} ${fault.dimension} ${fault.column} ${fault.value}`;
		if (full && !this.#reasons.has(key)) key = `${fault.code} ${fault.dimension}`;
		let reason = this.#reasons.get(key);
		if (!reason) this.#reasons.set(key, (reason = { fault, label, rows: 0, amount: new Sum(), lines: [] }));
		reason.rows++;
		reason.amount.add(amount);
		if (reason.lines.length < LINES_SHOWN) reason.lines.push(line);
	}

	/** The reasons, those that stop most rows first. */
	get reasons(): Reason[] {
		return [...this.#reasons.values()].sort((a, b) => b.rows - a.rows);
	}
}
