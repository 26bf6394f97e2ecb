import { isEmpty, isValue, roundTo, shareOut, sum } from '../number';

export type SpreadMethod = 'in proportion' | 'evenly' | 'same value' | 'like another';

/** A leaf beneath the figure that is spread. */
export interface SpreadLeaf {
	/** Its value in its own currency, empty where nothing is stored. */
	value: number;
	/** How it counts in the figure. */
	weight: number;
	/** What one unit of it is worth in the figure's currency. */
	rate: number;
	/** Closed, kept fixed or out of reach: keeps its value, and the rest absorb the difference. */
	fixed: boolean;
	/** For `like another`: how much its counterpart pushes the other figure. */
	pattern?: number;
}

export type SpreadResult =
	| { values: number[]; warning: string | undefined }
	| { fault: 'nothing may change' | 'nothing to spread over' | 'no way to reach it'; message: string };

/**
 * Values for the leaves so that their weighted sum becomes the target.
 *
 * In proportion: where all present leaves push the total the same way, one factor; otherwise the difference goes by size,
 * xᵢ += Δ·wᵢ·|xᵢ| ÷ Σ|xⱼ|. Leaves in the figure's own currency are rounded to `decimals` and tie exactly by largest
 * remainder; leaves in other currencies stay unrounded.
 * @returns one value per leaf, in its own currency; fixed leaves keep theirs
 */
export function spread(leaves: readonly SpreadLeaf[], target: number, decimals: number, method: SpreadMethod): SpreadResult {
	const free = leaves.filter((leaf) => !leaf.fixed);
	if (free.length === 0)
		return leaves.length === 0
			? { fault: 'nothing to spread over', message: 'There is no cell beneath to spread over.' }
			: {
					fault: 'nothing may change',
					message: 'Every cell beneath is closed, kept fixed or not yours, so the difference has nowhere to go.'
				};
	if (method === 'same value') return { values: leaves.map((leaf) => (leaf.fixed ? leaf.value : target / leaf.rate)), warning: undefined };
	const amountOf = (leaf: SpreadLeaf) => (isEmpty(leaf.value) ? 0 : leaf.value * leaf.rate);
	const fixedTotal = sum(leaves.filter((leaf) => leaf.fixed).map((leaf) => amountOf(leaf) * leaf.weight));
	const goal = target - (isEmpty(fixedTotal) ? 0 : fixedTotal);
	const present = free.filter((leaf) => isValue(leaf.value) && leaf.value !== 0);
	const amounts = shares(method, free, present, amountOf, goal);
	if (!amounts) return { fault: 'nothing to spread over', message: 'The other figure is empty or comes to 0, so it gives no proportions.' };
	const settled = tie(free, amounts, goal, decimals);
	let next = 0;
	const values = leaves.map((leaf) => (leaf.fixed ? leaf.value : settled[next++]! / leaf.rate));
	return { values, warning: method === 'in proportion' ? bigMove(leaves, values) : undefined };
}

/** What each free leaf comes to before rounding; undefined when the method gives no proportions. */
function shares(
	method: SpreadMethod,
	free: readonly SpreadLeaf[],
	present: readonly SpreadLeaf[],
	amountOf: (leaf: SpreadLeaf) => number,
	goal: number
): number[] | undefined {
	if (method === 'like another') {
		const whole = sum(free.map((leaf) => leaf.pattern ?? Number.NaN));
		return isEmpty(whole) || whole === 0 ? undefined : free.map((leaf) => ((goal * (leaf.pattern ?? 0)) / whole) * Math.sign(leaf.weight));
	}
	return method === 'evenly' || present.length === 0 ? evenly(free, goal) : inProportion(free, present, amountOf, goal);
}

function evenly(free: readonly SpreadLeaf[], goal: number): number[] {
	return free.map((leaf) => (goal / free.length) * Math.sign(leaf.weight));
}

function inProportion(
	free: readonly SpreadLeaf[],
	present: readonly SpreadLeaf[],
	amountOf: (leaf: SpreadLeaf) => number,
	goal: number
): number[] {
	const pushes = present.map((leaf) => amountOf(leaf) * leaf.weight);
	const total = sum(pushes);
	const sameWay = pushes.every((push) => push > 0) || pushes.every((push) => push < 0);
	if (sameWay) return free.map((leaf) => (amountOf(leaf) * goal) / total);
	const size = sum(present.map((leaf) => Math.abs(amountOf(leaf) * leaf.weight)));
	return free.map((leaf) => amountOf(leaf) + ((goal - total) * Math.sign(leaf.weight) * Math.abs(amountOf(leaf))) / size);
}

/** Rounds amounts so that their weighted sum is the goal; leaves at foreign rates keep their fractions. */
function tie(free: readonly SpreadLeaf[], amounts: readonly number[], goal: number, decimals: number): number[] {
	const pushes = amounts.map((amount, index) => amount * free[index]!.weight);
	const own = free.map((leaf, index) => (leaf.rate === 1 && Math.abs(leaf.weight) === 1 ? index : -1)).filter((index) => index >= 0);
	const isOwn = new Set(own);
	const foreign = sum(pushes.filter((_, index) => !isOwn.has(index)));
	const settled = [...amounts];
	if (own.length === 0) return settled;
	const ownGoal = goal - (isEmpty(foreign) ? 0 : foreign);
	const shared = shareOut(
		own.map((index) => pushes[index]!),
		ownGoal,
		decimals
	);
	own.forEach((index, place) => (settled[index] = shared[place]! * Math.sign(free[index]!.weight)));
	// A target finer than the decimals is met by the largest leaf, so that the figure shows what was typed.
	const rest = ownGoal - roundTo(ownGoal, decimals);
	if (rest !== 0) {
		const largest = own.reduce((best, index) => (Math.abs(settled[index]!) > Math.abs(settled[best]!) ? index : best), own[0]!);
		settled[largest]! += rest * Math.sign(free[largest]!.weight);
	}
	return settled;
}

function bigMove(leaves: readonly SpreadLeaf[], values: readonly number[]): string | undefined {
	const moved = leaves.filter(
		(leaf, index) => isValue(leaf.value) && Math.abs(values[index]! - leaf.value) > Math.abs(leaf.value) / 2
	).length;
	return moved > 0 ? `${moved === 1 ? 'One cell' : `${moved} cells`} beneath moved by more than half.` : undefined;
}
