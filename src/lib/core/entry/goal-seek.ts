import { isEmpty } from '../number';

/** What came of looking for a value. */
export interface Sought {
	/** `no effect`: nothing that was tried moves the result; `nearest`: the goal is not reached, this is as near as it comes. */
	kind: 'found' | 'nearest' | 'no effect';
	value: number;
	/** What it comes to. */
	result: number;
	/** How often the result was worked out. */
	tries: number;
}

/** What is looked for. */
export interface Goal {
	/** Where to begin: what stands there now. */
	start: number;
	goal: number;
	/** How far from the goal is near enough. */
	tolerance: number;
	/** How often the result may be worked out. */
	most?: number;
}

/** First steps away from the start that are tried until the result moves, as parts of it. */
const FIRST_STEPS = [0.01, -0.01, 1, -1, 100, -100, 10_000];

/**
 * Looks for the value at which a result reaches a goal. Secants, then false position between two values on either side of the
 * goal (the Illinois variant: Dowell & Jarratt 1971), so that a result with rounding in it is found too. Where several values
 * would do, one near the start is found.
 * @param resultOf works out the result; NaN where there is none
 */
export function seek(resultOf: (value: number) => number, { start, goal, tolerance, most = 60 }: Goal): Sought {
	let tries = 0;
	let best: { value: number; result: number } | undefined;
	const apart = (value: number): number => {
		tries++;
		const result = resultOf(value);
		if (!isEmpty(result) && (best === undefined || Math.abs(result - goal) < Math.abs(best.result - goal))) best = { value, result };
		return result - goal;
	};
	const isNear = (difference: number) => Math.abs(difference) <= tolerance;
	const ended = (kind: Sought['kind']): Sought => ({
		kind: best && isNear(best.result - goal) ? 'found' : kind,
		value: best?.value ?? start,
		result: best?.result ?? Number.NaN,
		tries
	});
	let before = { value: start, apart: apart(start) };
	if (isNear(before.apart)) return ended('found');
	const size = Math.abs(start) || 1;
	let now: typeof before | undefined;
	for (const step of FIRST_STEPS) {
		const value = start + step * size;
		const difference = apart(value);
		if (isNear(difference)) return ended('found');
		if (isEmpty(difference) || difference === before.apart) continue;
		now = { value, apart: difference };
		if (!isEmpty(before.apart)) break;
		before = now;
		now = undefined;
	}
	if (!now) return ended('no effect');
	// Until the goal lies between two values: along the line through the last two, no further than ten times as far.
	while (Math.sign(now.apart) === Math.sign(before.apart)) {
		if (tries >= most) return ended('nearest');
		const slope = (now.apart - before.apart) / (now.value - before.value);
		const farthest = 10 * Math.abs(now.value - before.value);
		const step: number = slope === 0 ? farthest : -now.apart / slope;
		let next: number = now.value + Math.sign(step) * Math.min(Math.abs(step), farthest);
		let difference = apart(next);
		// Nothing can be worked out there, or it leads away: half as far.
		for (let halves = 0; (isEmpty(difference) || Math.abs(difference) > Math.abs(now.apart)) && halves < 12 && tries < most; halves++) {
			if (!isEmpty(difference) && Math.sign(difference) !== Math.sign(now.apart)) break;
			next = (next + now.value) / 2;
			difference = apart(next);
		}
		if (isEmpty(difference)) return ended('nearest');
		if (isNear(difference)) return ended('found');
		if (Math.abs(next - now.value) <= 1e-14 * Math.max(1, Math.abs(now.value))) return ended('nearest');
		before = now;
		now = { value: next, apart: difference };
	}
	let [low, high] = [before, now];
	for (let side = 0; tries < most;) {
		const next: number = (low.value * high.apart - high.value * low.apart) / (high.apart - low.apart);
		const between = next > Math.min(low.value, high.value) && next < Math.max(low.value, high.value) ? next : (low.value + high.value) / 2;
		if (between === low.value || between === high.value) break;
		const difference = apart(between);
		if (isNear(difference)) return ended('found');
		if (isEmpty(difference)) break;
		if (Math.sign(difference) === Math.sign(high.apart)) {
			high = { value: between, apart: difference };
			if (side === -1) low = { ...low, apart: low.apart / 2 };
			side = -1;
		} else {
			low = { value: between, apart: difference };
			if (side === 1) high = { ...high, apart: high.apart / 2 };
			side = 1;
		}
	}
	return ended('nearest');
}
