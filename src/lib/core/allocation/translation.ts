import { isTranslated, rateUse, translationFactors } from '../cube';
import type { Model } from '../model';

/** What amounts are worth in other currencies, at the rates of their scenario and period. */
export class Translation {
	readonly #model: Model;
	readonly #fault: (message: string) => Error;
	readonly #known = new Map<string, Float64Array>();

	constructor(model: Model, fault: (message: string) => Error) {
		this.#model = model;
		this.#fault = fault;
	}

	/** The currency a cell is kept in; undefined where it is in none. */
	currencyAt(address: Int32Array): string | undefined {
		const { entityAxis, accountAxis, definition } = this.#model;
		const facts = this.#model.account(address[accountAxis]!);
		if (!facts || !isTranslated(facts)) return undefined;
		return entityAxis < 0 ? definition.reportingCurrency : this.#model.currencyOf(address[entityAxis]!);
	}

	/**
	 * What one unit of a cell's currency is worth in another, 1 where nothing is translated.
	 * @param account (ordinal) whose rate counts
	 * @throws the fault, naming pair and period, where a rate is missing
	 */
	factor(address: Int32Array, leaf: number, account: number, currency: string): number {
		const found = this.factorIfKnown(address, leaf, account, currency);
		if (found === found) return found;
		const { name } = this.#model.periods.dimension.member(this.#model.periods.leaf(leaf).ordinal);
		throw this.#fault(
			`there is no ${rateUse(this.#model.account(account)!)} rate from ${this.currencyOf(address)} to ${currency} for ${name}.`
		);
	}

	/** The same, empty where a rate is missing. */
	factorIfKnown(address: Int32Array, leaf: number, account: number, currency: string): number {
		const facts = this.#model.account(account);
		if (!facts || !isTranslated(facts)) return 1;
		const local = this.currencyOf(address);
		if (local === currency) return 1;
		const scenario = address[this.#model.scenarioAxis]!;
		const use = rateUse(facts);
		const key = `${local} ${currency} ${scenario} ${use}`;
		let factors = this.#known.get(key);
		if (!factors)
			this.#known.set(
				key,
				(factors = translationFactors(this.#model, local, currency, (period) => this.#model.rateSetAt(scenario, period), use))
			);
		return factors[leaf]!;
	}

	currencyOf(address: Int32Array): string {
		const { entityAxis, definition } = this.#model;
		return entityAxis < 0 ? definition.reportingCurrency : this.#model.currencyOf(address[entityAxis]!);
	}
}
