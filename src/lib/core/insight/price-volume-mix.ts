/** What is sold of one thing, before and after: an amount and how many. */
export interface Sold {
	before: { amount: number; quantity: number };
	after: { amount: number; quantity: number };
}

export interface PriceVolumeMix {
	/** More or fewer in all, at the price they had on average. */
	volume: number;
	/** Other things than before, in their share of all: each at its own price of before. */
	mix: number;
	/** Other prices for what is sold now. */
	price: number;
	/** Amounts without a quantity: nothing can be said of them. */
	other: number;
}

/**
 * Takes the difference of an amount apart into volume, mix and price. With Q the quantities in all, q those of a thing, p its
 * price (amount a unit): volume (Q₁ − Q₀) · R₀ / Q₀, mix Σ (q₁ − q₀ Q₁ / Q₀) p₀, price Σ q₁ (p₁ − p₀). A thing that was not
 * sold before has no price of before: all of it is mix; where nothing was sold before, or nothing is sold any more, too. The
 * four add up to the difference, whatever is put in. Source: the usual analysis of sales variances (Horngren, Cost
 * Accounting, chapter on sales-mix and sales-quantity variances), with the price of before as the base.
 */
export function priceVolumeMix(items: readonly Sold[]): PriceVolumeMix {
	const found: PriceVolumeMix = { volume: 0, mix: 0, price: 0, other: 0 };
	const counted: Sold[] = [];
	for (const { before, after } of items) {
		// What has an amount and no quantity has no price.
		if (before.quantity === 0) found.other -= before.amount;
		if (after.quantity === 0) found.other += after.amount;
		counted.push({
			before: before.quantity === 0 ? { amount: 0, quantity: 0 } : before,
			after: after.quantity === 0 ? { amount: 0, quantity: 0 } : after
		});
	}
	const sum = (of: (item: Sold) => number) => counted.reduce((total, item) => total + of(item), 0);
	const [was, is] = [sum(({ before }) => before.quantity), sum(({ after }) => after.quantity)];
	const amountBefore = sum(({ before }) => before.amount);
	const whole = sum(({ before, after }) => after.amount - before.amount);
	if (was === 0) return { ...found, mix: whole };
	found.volume = ((is - was) * amountBefore) / was;
	found.price = sum(({ before, after }) =>
		before.quantity === 0 || after.quantity === 0 ? 0 : after.amount - (after.quantity * before.amount) / before.quantity
	);
	// As what is left, it is exact: the same as the sum above.
	found.mix = whole - found.volume - found.price;
	return found;
}
