import type { AccountDefinition, Model, TimeBehaviour } from '../model';
import { EMPTY } from '../number';

/** Money and prices are translated; quantities and percents are not. */
export const isTranslated = (account: AccountDefinition): boolean => account.valueType === 'money' || account.valueType === 'price';

/**
 * What one unit of a local currency is worth in another, per leaf period; empty where a rate is missing. Flows use
 * average rates, closing balances closing rates, opening balances the closing rate of the period before.
 * Source: the current-rate method of IAS 21, paragraphs 39–40.
 */
export function translationFactors(model: Model, local: string, currency: string, rateSet: number, behaviour: TimeBehaviour): Float64Array {
	const rates = model.rates(rateSet);
	return Float64Array.from(model.periods.leaves, (leaf) => {
		if (!rates) return EMPTY;
		if (behaviour === 'closing') return rates.factor(local, currency, 'closing', leaf.start, leaf.end);
		if (behaviour !== 'opening') return rates.factor(local, currency, 'average', leaf.start, leaf.end);
		const before = leaf.index > 0 ? model.periods.leaf(leaf.index - 1) : undefined;
		return before ? rates.factor(local, currency, 'closing', before.start, before.end) : EMPTY;
	});
}
