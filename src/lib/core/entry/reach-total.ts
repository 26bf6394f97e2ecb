/** Where along a way a total is met; or, where it never is, the nearest it comes to. */
export type Met = { at: number } | { nearest: number };

/** Places looked at to either side, as parts of the natural length of the way, before it is said that no place will do. */
const PLACES = [0.01, 0.02, 0.05, 0.1, 0.15, 0.2, 0.3, 0.4, 0.5, 0.7, 1, 1.4, 2, 3, 5, 10, 30, 100, 1_000];

/**
 * Finds the place nearest to the beginning of a way at which a total comes to a target: one secant step where the total is
 * linear, else the first change of side is enclosed and narrowed by regula falsi (Illinois).
 * @param total of the place; the beginning is 0
 * @param length a natural length of the way
 */
export function meet(total: (at: number) => number, target: number, length: number): Met {
	const close = (value: number) => Math.abs(value - target) <= 1e-9 * Math.max(1, Math.abs(target));
	const begin = total(0);
	if (close(begin)) return { at: 0 };
	const nudge = length * 1e-3;
	const slope = (total(nudge) - begin) / nudge;
	if (slope !== 0) {
		const at = (target - begin) / slope;
		const there = total(at);
		// One more step takes away what rounding left.
		const better = at + (target - there) / slope;
		if (close(there)) return { at: close(total(better)) ? better : at };
	}
	let nearest = begin;
	const near = (value: number) => {
		if (Math.abs(value - target) < Math.abs(nearest - target)) nearest = value;
		return value;
	};
	const sides = [1, -1].map((sign) => ({ sign, at: 0, value: begin, ahead: begin, done: false }));
	for (const place of PLACES)
		for (const side of sides) {
			if (side.done) continue;
			const at = side.sign * place * length;
			const value = near(total(at));
			if (!Number.isFinite(value)) {
				side.done = true;
				continue;
			}
			if (value === target || value > target !== side.value > target) {
				const found = narrow(total, target, side.at, side.value, at, value);
				if (found !== undefined) return { at: found };
			}
			// Between two places it may come closer than at either: a hill or a valley.
			const top = extreme(total, target, side.at - side.sign * length * 1e-9, at);
			near(top.value);
			if (close(top.value)) return { at: top.at };
			if (top.value > target !== side.value > target) {
				const found = narrow(total, target, side.at, side.value, top.at, top.value);
				if (found !== undefined) return { at: found };
			}
			side.at = at;
			side.value = value;
		}
	return { nearest };
}

/** Regula falsi with the Illinois correction between two places on either side of the target. */
function narrow(total: (at: number) => number, target: number, from: number, atFrom: number, to: number, atTo: number): number | undefined {
	let [left, right, below, above] = [from, to, atFrom - target, atTo - target];
	for (let turn = 0; turn < 200; turn++) {
		if (above === 0) return right;
		const middle = (left * above - right * below) / (above - below);
		const value = total(middle) - target;
		if (!Number.isFinite(value)) return undefined;
		if (Math.abs(value) <= 1e-10 * Math.max(1, Math.abs(target))) return middle;
		if (value > 0 === above > 0) {
			right = middle;
			above = value;
			below /= 2;
		} else {
			left = middle;
			below = value;
			above /= 2;
		}
	}
	return undefined;
}

/** Golden section: where between two places the total comes closest to the target. */
function extreme(total: (at: number) => number, target: number, from: number, to: number): { at: number; value: number } {
	const ratio = (Math.sqrt(5) - 1) / 2;
	let [left, right] = [from, to];
	let best = { at: from, value: total(from) };
	for (let turn = 0; turn < 40; turn++) {
		const [one, other] = [right - ratio * (right - left), left + ratio * (right - left)];
		const [atOne, atOther] = [total(one), total(other)];
		for (const [at, value] of [
			[one, atOne],
			[other, atOther]
		] as const)
			if (Math.abs(value - target) < Math.abs(best.value - target)) best = { at, value };
		if (Math.abs(atOne - target) < Math.abs(atOther - target)) right = other;
		else left = one;
	}
	return best;
}
