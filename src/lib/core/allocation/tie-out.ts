import { isTranslated } from '../cube';
import type { Model } from '../model';
import { isEmpty, Sum } from '../number';
import type { ReadyAllocation } from './ready';
import type { Translation } from './translation';

/** The proof of a line in a leaf period: in = out + kept + stranded. In the step's currency, or in units. */
export interface TieRow {
	/** The line (place); −1 for what no line shares out. */
	line: number;
	leaf: number;
	/** The scenario (ordinal). */
	scenario: number;
	currency: string | null;
	in: number;
	out: number;
	/** What the step was told to leave, or what was left over at standard; below 0 where more went out than there was. */
	kept: number;
	stranded: number;
	/** What lay below a cent and went, unrounded, with the largest receiver. */
	rounding: number;
	/** What of in had been brought by steps above. */
	passed: number;
	/** Whether it was shared evenly because nothing weighed. */
	evenly: boolean;
	/** Whether a rate is missing, so that amounts are left out of this row. */
	incomplete: boolean;
}

/** A pool that found nobody. */
export interface Stranded {
	line: number;
	/** Where it is on the dimensions that pass through; 0 on those that change. */
	at: Int32Array;
	leaf: number;
	/** In the step's currency. */
	amount: number;
	why: string;
}

interface Open {
	row: TieRow;
	in: Sum;
	out: Sum;
	kept: Sum;
	stranded: Sum;
	rounding: Sum;
	passed: Sum;
}

/** Most stranded pools that are told. */
const MOST_STRANDED = 200;

/** Adds up what went in and where it went, line by line and period by period. */
export class TieOut {
	readonly #model: Model;
	readonly #currency: string;
	readonly #translation: Translation;
	readonly #rows = new Map<string, Open>();
	readonly #stranded: Stranded[] = [];

	constructor(model: Model, { currency }: ReadyAllocation, translation: Translation) {
		this.#model = model;
		this.#currency = currency;
		this.#translation = translation;
	}

	/** A part of the pool that went out. @param crosses whether amounts are in the step's currency already */
	share(
		line: number,
		at: Int32Array,
		leaf: number,
		{ amount, out, below, evenly }: { amount: number; out: number; below: number; evenly: boolean },
		crosses: boolean
	): void {
		const open = this.#open(line, at, leaf);
		const factor = this.#stated(open, at, leaf, crosses);
		open.in.add(amount * factor);
		open.out.add(out * factor);
		if (out !== amount) open.kept.add((amount - out) * factor);
		open.rounding.add(below * factor);
		if (evenly) open.row.evenly = true;
	}

	strand(line: number, at: Int32Array, leaf: number, amount: number, crosses: boolean, why: string): void {
		const open = this.#open(line, at, leaf);
		const stated = amount * this.#stated(open, at, leaf, crosses);
		open.in.add(stated);
		open.stranded.add(stated);
		this.#stranded.push({ line, at: at.slice(), leaf, amount: stated, why });
	}

	keep(address: Int32Array, leaf: number, amount: number): void {
		const open = this.#open(-1, address, leaf);
		const stated = amount * this.#stated(open, address, leaf, false);
		open.in.add(stated);
		open.kept.add(stated);
	}

	/** Notes what of a cell's amount, in its own currency, steps above had brought. */
	pass(line: number, address: Int32Array, leaf: number, amount: number): void {
		const open = this.#open(line, address, leaf);
		open.passed.add(amount * this.#stated(open, address, leaf, false));
	}

	/** By line, then by period. */
	rows(): TieRow[] {
		const value = (of: Sum) => (isEmpty(of.value) ? 0 : of.value);
		return [...this.#rows.values()]
			.map(({ row, ...sums }) => ({
				...row,
				in: value(sums.in),
				out: value(sums.out),
				kept: value(sums.kept),
				stranded: value(sums.stranded),
				rounding: value(sums.rounding),
				passed: value(sums.passed)
			}))
			.sort(
				(one, other) =>
					(one.line < 0 ? 1 : 0) - (other.line < 0 ? 1 : 0) ||
					one.line - other.line ||
					one.scenario - other.scenario ||
					one.leaf - other.leaf
			);
	}

	/** The largest first. */
	stranded(): Stranded[] {
		return this.#stranded.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount)).slice(0, MOST_STRANDED);
	}

	#open(line: number, address: Int32Array, leaf: number): Open {
		const facts = this.#model.account(address[this.#model.accountAxis]!);
		const currency = facts && isTranslated(facts) ? this.#currency : null;
		const scenario = address[this.#model.scenarioAxis]!;
		const key = `${line} ${leaf} ${scenario} ${currency}`;
		let open = this.#rows.get(key);
		if (!open) {
			const row = {
				line,
				leaf,
				scenario,
				currency,
				in: 0,
				out: 0,
				kept: 0,
				stranded: 0,
				rounding: 0,
				passed: 0,
				evenly: false,
				incomplete: false
			};
			open = { row, in: new Sum(), out: new Sum(), kept: new Sum(), stranded: new Sum(), rounding: new Sum(), passed: new Sum() };
			this.#rows.set(key, open);
		}
		return open;
	}

	/** What an amount is multiplied by to be stated in the step's currency; 0, and said, where a rate is missing. */
	#stated(open: Open, address: Int32Array, leaf: number, crosses: boolean): number {
		if (crosses || open.row.currency === null) return 1;
		const factor = this.#translation.factorIfKnown(address, leaf, address[this.#model.accountAxis]!, this.#currency);
		if (factor === factor) return factor;
		open.row.incomplete = true;
		return 0;
	}
}
