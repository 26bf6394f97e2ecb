const EXACT = 2 ** 52;

/**
 * Divides an amount by weights to the cent, by the largest-remainder method (Hamilton's apportionment): whole cents first,
 * those that are left go to the largest remainders, equal ones in the order given. What the amount has below a cent goes,
 * unrounded, with the largest part. Works on absolute size, so that −x is divided as x is.
 * @param weights not negative, not all zero; as many as `into` is long
 * @param into receives the parts, which add up to the amount
 * @returns what went with the largest part below a cent
 */
export function divide(amount: number, weights: Float64Array, decimals: number, into: Float64Array): number {
	const scale = 10 ** decimals;
	const size = Math.abs(amount);
	const sign = amount < 0 ? -1 : 1;
	let total = 0;
	for (const weight of weights) total += weight;
	if (size * scale >= EXACT) {
		for (let at = 0; at < weights.length; at++) into[at] = (amount * weights[at]!) / total;
		return 0;
	}
	// An amount of whole cents is one although its binary form may lie a little below.
	const cents = Math.floor(size * scale + 1e-6);
	const below = size * scale - cents;
	let left = cents;
	for (let at = 0; at < weights.length; at++) {
		const units = Math.floor((cents * weights[at]!) / total + 1e-9);
		into[at] = units;
		left -= units;
	}
	if (left > 0) giveOut(left, cents, weights, total, into);
	let largest = 0;
	for (let at = 1; at < into.length; at++) if (into[at]! > into[largest]!) largest = at;
	// Where all have less than a cent the one that weighs most takes the rest.
	if (into[largest] === 0) for (let at = 1; at < weights.length; at++) if (weights[at]! > weights[largest]!) largest = at;
	for (let at = 0; at < into.length; at++) into[at] = into[at] === 0 ? 0 : (sign * into[at]!) / scale;
	if (Math.abs(below) < 1e-5) return 0;
	const rest = sign * (size - cents / scale);
	into[largest] = into[largest]! + rest;
	return rest;
}

/**
 * The same in two stages: among bunches first, then among those of each, so that what weighs together gets what it weighs
 * to the cent.
 * @param bunch by part: which bunch it is of, from 0
 */
export function divideInBunches(amount: number, weights: Float64Array, bunch: Int32Array, decimals: number, into: Float64Array): number {
	const places: number[][] = [];
	for (let at = 0; at < bunch.length; at++) (places[bunch[at]!] ??= []).push(at);
	const totals = Float64Array.from(places, (own) => own.reduce((sum, at) => sum + weights[at]!, 0));
	const amounts = new Float64Array(totals.length);
	const below = divide(amount, totals, decimals, amounts);
	into.fill(0);
	places.forEach((own, place) => {
		if (totals[place] === 0) return;
		const parts = new Float64Array(own.length);
		divide(
			amounts[place]!,
			Float64Array.from(own, (at) => weights[at]!),
			decimals,
			parts
		);
		own.forEach((at, index) => (into[at] = parts[index]!));
	});
	return below;
}

/** Gives the cents that are left to the largest remainders. */
function giveOut(left: number, cents: number, weights: Float64Array, total: number, units: Float64Array): void {
	const remainders = new Float64Array(weights.length);
	// To a billionth: remainders that are equal on paper are equal here.
	for (let at = 0; at < weights.length; at++)
		remainders[at] = weights[at] === 0 ? -1 : Math.round(((cents * weights[at]!) / total - units[at]!) * 1e9);
	const sorted = Float64Array.from(remainders).sort();
	const threshold = sorted[sorted.length - left]!;
	let equal = left;
	for (const remainder of remainders) if (remainder > threshold) equal--;
	for (let at = 0; at < units.length; at++) {
		if (remainders[at]! > threshold) units[at] = units[at]! + 1;
		else if (remainders[at] === threshold && equal-- > 0) units[at] = units[at]! + 1;
	}
}
