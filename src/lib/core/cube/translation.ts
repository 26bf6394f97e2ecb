import type { RateUse } from '../currency';
import type { AccountDefinition, Model, RatesInstead } from '../model';
import { EMPTY } from '../number';

/** Money and prices are translated; quantities, percents and coded values are not. */
export const isTranslated = (account: AccountDefinition): boolean => account.valueType === 'money' || account.valueType === 'price';

/**
 * Which rate translates an account: what it says itself, historical for equity, closing for balances, the closing rate
 * before the period for opening balances, average for everything else. Source: IAS 21, paragraphs 39–40.
 */
export function rateUse(account: AccountDefinition): RateUse {
	if (account.rateKind) return account.rateKind;
	if (account.kind === 'equity') return 'historical';
	if (account.timeBehaviour === 'closing' || account.timeBehaviour === 'latest') return 'closing';
	return account.timeBehaviour === 'opening' ? 'previous closing' : 'average';
}

/** What one unit of a local currency is worth in another, per leaf period; empty where a rate is missing. */
export function translationFactors(
	model: Model,
	local: string,
	currency: string,
	rateSetAt: (period: number) => number | undefined,
	use: RateUse
): Float64Array {
	return Float64Array.from(model.periods.leaves, (leaf) => {
		// An opening balance is last month's closing one: at its rate, out of the rate set of that month.
		const at = use === 'previous closing' ? model.periods.leaves[leaf.index - 1] : leaf;
		const rateSet = at && rateSetAt(at.index);
		const rates = rateSet === undefined ? undefined : model.rates(rateSet);
		return at && rates ? rates.factor(local, currency, use === 'previous closing' ? 'closing' : use, at.start, at.end) : EMPTY;
	});
}

/** A rate that was looked for and is not there. */
export interface MissingRate {
	from: string;
	to: string;
	use: RateUse;
	rateSet: string;
	/** The period it was needed for, plain dates. */
	start: string;
	end: string;
}

/** Factors of one query, looked up once each, and a list of the rates found missing. */
export class Translator {
	readonly #model: Model;
	readonly #currency: string;
	readonly #rateSet: number | undefined;
	readonly #factors = new Map<string, Float64Array>();
	readonly #missing = new Map<string, MissingRate>();

	#instead: RatesInstead | undefined;

	/**
	 * @param rateSet read at these rates instead of the scenario's own
	 * @param instead a set that is read in the place of another one a scenario names
	 */
	constructor(model: Model, currency: string, rateSet?: number, instead?: RatesInstead) {
		this.#model = model;
		this.#currency = currency;
		this.#rateSet = rateSet;
		this.#instead = instead;
	}

	/** Reads at other rates from now on. */
	readInstead(instead: RatesInstead | undefined): void {
		if (instead?.of === this.#instead?.of && instead?.by === this.#instead?.by) return;
		this.#instead = instead;
		this.#factors.clear();
	}

	/** The factors of an account at an entity and scenario (ordinals, −1 for none); undefined where nothing is translated. */
	factors(account: AccountDefinition, entity: number, scenario: number): Float64Array | undefined {
		if (!isTranslated(account) || entity < 0 || this.#currency === 'local') return undefined;
		const local = this.#model.currencyOf(entity);
		if (local === this.#currency || (this.#rateSet === undefined && !this.#model.scenario(scenario))) return undefined;
		const use = rateUse(account);
		const key = `${local} ${this.#rateSet === undefined ? scenario : ''} ${use}`;
		let factors = this.#factors.get(key);
		if (!factors)
			this.#factors.set(
				key,
				(factors = translationFactors(this.#model, local, this.#currency, (period) => this.#rateSetAt(scenario, period), use))
			);
		return factors;
	}

	/** Notes that an account's amount in a leaf period could not be translated. */
	noteMissing(account: AccountDefinition, entity: number, scenario: number, period: number): void {
		const local = this.#model.currencyOf(entity);
		const use = rateUse(account);
		const rateSet = this.#rateSetAt(scenario, use === 'previous closing' ? Math.max(0, period - 1) : period);
		const key = `${local} ${rateSet} ${use} ${period}`;
		if (this.#missing.has(key)) return;
		const leaf = this.#model.periods.leaf(use === 'previous closing' ? Math.max(0, period - 1) : period);
		const name = this.#model.definition.rateSets.find(({ id }) => id === rateSet)?.name ?? '';
		this.#missing.set(key, { from: local, to: this.#currency, use, rateSet: name, start: leaf.start, end: leaf.end });
	}

	#rateSetAt(scenario: number, period: number): number | undefined {
		return this.#rateSet ?? this.#model.rateSetAt(scenario, period, this.#instead);
	}

	forgetMissing(): void {
		this.#missing.clear();
	}

	get missing(): MissingRate[] {
		return [...this.#missing.values()];
	}
}
