import { Block } from '../cube';
import type { Model } from '../model';
import type { Pool } from './pools';
import type { Translation } from './translation';

/** What was used of a driver, against what there could have been of it. */
export interface UnitUse {
	/** What the pool held. */
	amount: number;
	used: number;
	/** Undefined where nobody says. */
	capacity: number | undefined;
}

/**
 * Figures of pools that are kept beside what they share out: what a unit of the driver cost, how many units were used, and
 * how many were not. By address and leaf period, in the currency of the pool.
 */
export class UnitFigures {
	readonly block: Block;
	readonly #model: Model;
	readonly #translation: Translation;
	readonly #address: Int32Array;

	constructor(model: Model, translation: Translation) {
		this.block = new Block(model.dimensions.length, model.periods.leaves.length);
		this.#model = model;
		this.#translation = translation;
		this.#address = new Int32Array(model.dimensions.length);
	}

	/**
	 * Keeps the figures of one sharing out. What several accounts of a pool cost a unit adds up; units are counted once.
	 * @param currency in which the pool is shared where that is not its own
	 */
	keep({ line, crosses }: Pool, at: Int32Array, leaf: number, { amount, used, capacity }: UnitUse, currency: string): void {
		const { keeps } = line;
		if (!keeps) return;
		const address = this.#address;
		address.set(at);
		for (const [axis, ordinal] of keeps.at) address[axis] = ordinal;
		const account = at[this.#model.accountAxis]!;
		const units = capacity ?? used;
		if (units !== 0) {
			const factor = crosses && keeps.unitCost !== undefined ? this.#translation.factor(address, leaf, account, currency) : 1;
			this.#put(keeps.unitCost, leaf, amount / units / factor, true);
		}
		this.#put(keeps.used, leaf, used, false);
		if (capacity !== undefined) this.#put(keeps.unused, leaf, capacity - used, false);
	}

	#put(account: number | undefined, leaf: number, value: number, adds: boolean): void {
		if (account === undefined) return;
		this.#address[this.#model.accountAxis] = account;
		const place = this.block.ensure(this.#address) * this.block.width + leaf;
		const before = this.block.values[place]!;
		this.block.values[place] = adds && before === before ? before + value : value;
	}
}
