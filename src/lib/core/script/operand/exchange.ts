import { rateUse, translationFactors } from '../../cube';
import { isEmpty } from '../../number';
import type { Reading } from './reading';

export function translated({ missingRates }: Reading, value: number, factor: number): number {
	if (isEmpty(value)) return value;
	if (isEmpty(factor)) missingRates.count++;
	return value * factor;
}

export function factorsBetween(
	reading: Reading,
	known: Map<string, Float64Array>,
	account: number,
	source: Int32Array,
	entity: number
): Float64Array | undefined {
	const currency = reading.model.currencyOf(entity);
	return reading.model.currencyOf(source[reading.model.entityAxis]!) === currency
		? undefined
		: factorsInto(reading, known, account, source, currency);
}

/** Factors from a cell's currency into another, per leaf period, at the rates of the cell's scenario. */
export function factorsInto(
	{ model }: Reading,
	known: Map<string, Float64Array>,
	account: number,
	source: Int32Array,
	currency: string
): Float64Array {
	const local = model.currencyOf(source[model.entityAxis]!);
	const scenario = source[model.scenarioAxis]!;
	const use = rateUse(model.factsAt(source)!);
	const key = `${local} ${currency} ${scenario} ${use}`;
	let factors = known.get(key);
	if (!factors) known.set(key, (factors = translationFactors(model, local, currency, (period) => model.rateSetAt(scenario, period), use)));
	return factors;
}
