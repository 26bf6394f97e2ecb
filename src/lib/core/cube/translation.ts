import type { RateUse } from '../currency';
import { continuationOf, type AccountDefinition, type Model, type RatesInstead } from '../model';
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

/** The rates another figure is read at, for reading this one at them: of a scenario, so many leaf periods before, as they stand in its model. */
export interface RatesLike {
	model: Model;
	/** Its scenario (ordinal there). */
	scenario: number;
	instead: RatesInstead | undefined;
	/** By how many leaf periods this one is the later. */
	shift: number;
}

/** The set a figure of a scenario is read at in a leaf period: where it continues from another scenario, at that one's. */
export function rateSetLike({ model, scenario, instead }: Omit<RatesLike, 'shift'>, period: number): number | undefined {
	const { span } = model.scenario(scenario) ?? {};
	const read = span && period < span.from ? (continuationOf(model, scenario, period)?.scenario ?? scenario) : scenario;
	return model.rateSetAt(read, period, instead);
}

/** Where rates are looked up: in a model, so many leaf periods before, in a set by the leaf period there. */
interface RateSource {
	model: Model;
	shift?: number;
	rateSetAt: (period: number) => number | undefined;
}

/** What one unit of a local currency is worth in another, per leaf period; empty where a rate is missing. */
export const translationFactors = (
	model: Model,
	local: string,
	currency: string,
	rateSetAt: (period: number) => number | undefined,
	use: RateUse
): Float64Array => factorsOf(model.periods, local, currency, { model, rateSetAt }, use);

function factorsOf(periods: Model['periods'], local: string, currency: string, source: RateSource, use: RateUse): Float64Array {
	return Float64Array.from(periods.leaves, ({ index }) => {
		// An opening balance is last month's closing one: at its rate, out of the rate set of that month.
		const at = source.model.periods.leaves[index - (source.shift ?? 0) - (use === 'previous closing' ? 1 : 0)];
		const rateSet = at && source.rateSetAt(at.index);
		const rates = rateSet === undefined ? undefined : source.model.rates(rateSet);
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
	readonly #other: number | RatesLike | undefined;
	readonly #factors = new Map<string, Float64Array>();
	readonly #missing = new Map<string, MissingRate>();

	#instead: RatesInstead | undefined;

	/**
	 * @param other a set (id), or the rates of another figure, to read at instead of the scenario's own
	 * @param instead a set that is read in the place of another one a scenario names
	 */
	constructor(model: Model, currency: string, other?: number | RatesLike, instead?: RatesInstead) {
		this.#model = model;
		this.#currency = currency;
		this.#other = other;
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
		if (local === this.#currency || (this.#other === undefined && !this.#model.scenario(scenario))) return undefined;
		const use = rateUse(account);
		const key = `${local} ${this.#other === undefined ? scenario : ''} ${use}`;
		let factors = this.#factors.get(key);
		if (!factors) this.#factors.set(key, (factors = factorsOf(this.#model.periods, local, this.#currency, this.#sourceOf(scenario), use)));
		return factors;
	}

	/** Notes that an account's amount in a leaf period could not be translated. */
	noteMissing(account: AccountDefinition, entity: number, scenario: number, period: number): void {
		const local = this.#model.currencyOf(entity);
		const use = rateUse(account);
		const { model, shift = 0, rateSetAt } = this.#sourceOf(scenario);
		const at = Math.max(0, period - shift - (use === 'previous closing' ? 1 : 0));
		const rateSet = rateSetAt(at);
		const key = `${local} ${rateSet} ${use} ${period}`;
		if (this.#missing.has(key)) return;
		const leaf = model.periods.leaf(at);
		const name = model.definition.rateSets.find(({ id }) => id === rateSet)?.name ?? '';
		this.#missing.set(key, { from: local, to: this.#currency, use, rateSet: name, start: leaf.start, end: leaf.end });
	}

	#sourceOf(scenario: number): RateSource {
		const other = this.#other;
		if (typeof other === 'number') return { model: this.#model, rateSetAt: () => other };
		if (other) return { model: other.model, shift: other.shift, rateSetAt: (period) => rateSetLike(other, period) };
		return { model: this.#model, rateSetAt: (period) => this.#model.rateSetAt(scenario, period, this.#instead) };
	}

	forgetMissing(): void {
		this.#missing.clear();
	}

	get missing(): MissingRate[] {
		return [...this.#missing.values()];
	}
}
