import { eachLiveChange, Overlay, type LeafCell, type Reader } from '../cube';
import { isEmpty, isValue, roundTo, sum } from '../number';
import type { FigureTotal } from './figure-total';
import { meet } from './reach-total';
import type { SpreadLeaf, SpreadMethod, SpreadResult } from './spread';

/** What a typed total is spread over where live results count in it too. */
export interface LiveSpread {
	reader: Reader;
	figure: FigureTotal;
	/** The leaves it may move, and their cells in the same order. */
	cells: readonly LeafCell[];
	leaves: readonly SpreadLeaf[];
	/** What is fixed and not among the leaves: cells that keep their values. */
	target: number;
	method: SpreadMethod;
	/** Whether a live cell keeps its value, so that what feeds it does too. */
	isKept: (cell: LeafCell) => boolean;
}

/**
 * Values for the leaves so that the figure comes to the target, live results beneath it included: each leaf moves by how
 * much the figure moves with it. Leaves are rounded to their decimals but for the one that moves it most.
 * @returns a refusal that names what moves along, and the nearest that can be reached
 */
export function spreadWithLive(scene: LiveSpread): SpreadResult {
	const { reader, cells, leaves, target, figure } = scene;
	const { model } = reader;
	const { moves, feedsKept } = sensitivities(scene);
	const isFree = leaves.map(({ fixed }, place) => !fixed && !feedsKept[place] && moves[place] !== 0);
	if (!isFree.includes(true))
		return {
			fault: 'nothing may change',
			message: 'Every cell beneath is closed, kept fixed or not yours, or moves nothing here, so the difference has nowhere to go.'
		};
	const way = wayOf(scene, moves, isFree);
	if (!way) return { fault: 'nothing to spread over', message: 'The other figure is empty or comes to 0, so it gives no proportions.' };
	const trial = new Overlay(model);
	const through = reader.over(trial);
	const totalOf = (values: ArrayLike<number>): number => {
		const own: number[] = [];
		cells.forEach((cell, place) => {
			const value = values[place]!;
			if (isFree[place]) trial.set(cell.address, cell.year, cell.position, value);
			// A result that is not typed over is among the live ones.
			if (isValue(value) && (isFree[place] || !cell.live)) own.push(value * leaves[place]!.rate * leaves[place]!.weight);
		});
		const stored = sum(own);
		return (isEmpty(stored) ? 0 : stored) + figure.live(through);
	};
	const valuesAt = (at: number) => way.start.map((value, place) => (isFree[place] ? value + at * way.step[place]! : leaves[place]!.value));
	const met = meet((at) => totalOf(valuesAt(at)), target, way.length);
	if ('nearest' in met) return unreachable(scene, met.nearest);
	const values = valuesAt(met.at);
	const decimalsOf = (place: number) => model.account(cells[place]!.address[model.accountAxis]!)!.decimals;
	let most = -1;
	for (const place of values.keys()) {
		if (!isFree[place]) continue;
		if (
			most < 0 ||
			Math.abs(moves[place]!) > Math.abs(moves[most]!) ||
			(moves[place] === moves[most] && Math.abs(values[place]!) > Math.abs(values[most]!))
		)
			most = place;
		if (leaves[place]!.rate === 1) values[place] = roundTo(values[place]!, decimalsOf(place));
	}
	// The leaf that moves it most takes what rounding the others left.
	const others = values.slice();
	const withMost = (value: number) => totalOf(others.with(most, value));
	const isTied = (value: number) => Math.abs(withMost(value) - target) <= 1e-7 * Math.max(1, Math.abs(target));
	if (!isTied(values[most]!)) {
		const start = valuesAt(met.at)[most]!;
		const rest = meet((at) => withMost(start + at), target, Math.max(1, Math.abs(start)) * 0.01);
		if ('nearest' in rest) return unreachable(scene, rest.nearest);
		const exact = start + rest.at;
		const whole = roundTo(exact, decimalsOf(most));
		const isCounted = model.account(cells[most]!.address[model.accountAxis]!)!.valueType === 'quantity' && decimalsOf(most) === 0;
		if (isTied(whole)) values[most] = whole;
		else if (!isCounted) values[most] = exact;
		else {
			const [low, high] = [withMost(Math.floor(exact)), withMost(Math.ceil(exact))];
			return unreachable(scene, Math.abs(low - target) <= Math.abs(high - target) ? low : high);
		}
	}
	return { values: [...values], warning: bigMove(leaves, values) };
}

/** By how much the figure moves with each leaf, live results that follow from it included; and which leaves feed a kept one. */
function sensitivities({ reader, figure, cells, leaves, isKept }: LiveSpread): { moves: Float64Array; feedsKept: boolean[] } {
	const { model } = reader;
	const moves = new Float64Array(cells.length);
	const feedsKept = cells.map(() => false);
	cells.forEach(({ address, year, position, value }, place) => {
		const { weight, rate, fixed } = leaves[place]!;
		moves[place] = weight * rate;
		if (fixed || model.live.readers(address[model.accountAxis]!).length === 0) return;
		const nudge = Math.max(1, Math.abs(isEmpty(value) ? 0 : value)) * 1e-3;
		let moved = 0;
		const take = (at: Int32Array, ofYear: number, ofPosition: number, was: number, is: number) => {
			const counts = figure.weight(at, ofYear, ofPosition);
			if (counts === 0) return;
			const difference = (isEmpty(is) ? 0 : is) - (isEmpty(was) ? 0 : was);
			moved += difference * counts * figure.rate(at, ofYear, ofPosition);
			if (isKept({ address: at, year: ofYear, position: ofPosition, value: is, weight: counts })) feedsKept[place] = true;
		};
		const found = new Int32Array(model.dimensions.length);
		const after = (isEmpty(value) ? 0 : value) + nudge;
		eachLiveChange(
			reader,
			{ address, year, position, before: value, after },
			{
				cell: take,
				column: (block, account, _, ofYear, ofPosition) => (series, count, before, after) => {
					for (let at = 0; at < count; at++) {
						block.readAddress(series[at]!, found)[model.accountAxis] = account;
						take(found, ofYear, ofPosition, before[at]!, after[at]!);
					}
				}
			}
		);
		moves[place] += moved / nudge;
		// What moves nothing but for the last bits moves nothing.
		if (Math.abs(moves[place]!) < 1e-9) moves[place] = 0;
	});
	return { moves, feedsKept };
}

/** The way the leaves go; undefined where a method gives no proportions. */
function wayOf(
	{ leaves, method, target }: LiveSpread,
	moves: Float64Array,
	isFree: readonly boolean[]
): { start: Float64Array; step: Float64Array; length: number } | undefined {
	const free = [...leaves.keys()].filter((place) => isFree[place]);
	const start = new Float64Array(leaves.length);
	const step = new Float64Array(leaves.length);
	const present = free.filter((place) => isValue(leaves[place]!.value) && leaves[place]!.value !== 0);
	if (method === 'like another') {
		const whole = sum(free.map((place) => Math.abs(leaves[place]!.pattern ?? 0)));
		if (isEmpty(whole) || whole === 0) return undefined;
		for (const place of free)
			step[place] = (((leaves[place]!.pattern ?? 0) / whole) * Math.sign(leaves[place]!.weight)) / leaves[place]!.rate;
		return { start, step, length: Math.max(1, Math.abs(target)) };
	}
	if (method === 'evenly' || present.length === 0) {
		for (const place of free) step[place] = Math.sign(moves[place]!) / leaves[place]!.rate;
		return { start, step, length: Math.max(1, Math.abs(target) / free.length) };
	}
	const pushes = present.map((place) => leaves[place]!.value * moves[place]!);
	const sameWay = pushes.every((push) => push > 0) || pushes.every((push) => push < 0);
	for (const place of free) {
		const { value } = leaves[place]!;
		start[place] = isEmpty(value) ? 0 : value;
		// One factor, or each by its size the way it moves the figure.
		step[place] = sameWay ? start[place]! : Math.abs(start[place]!) * moves[place]!;
	}
	const most = Math.max(...free.map((place) => Math.abs(moves[place]!)));
	return { start, step: sameWay ? step : step.map((each) => each / most), length: 1 };
}

function unreachable({ reader, figure }: LiveSpread, nearest: number): SpreadResult {
	const names = figure.liveAccounts.map((account) => reader.model.accounts.member(account).name);
	const along = names.length > 3 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');
	const amount = roundTo(nearest, 6).toLocaleString('en', { maximumFractionDigits: 6 });
	return {
		fault: 'no way to reach it',
		message: `This cannot be reached: ${along} ${names.length === 1 ? 'moves' : 'move'} along. The nearest is ${amount}.`
	};
}

function bigMove(leaves: readonly SpreadLeaf[], values: ArrayLike<number>): string | undefined {
	const moved = leaves.filter(
		(leaf, place) => isValue(leaf.value) && Math.abs(values[place]! - leaf.value) > Math.abs(leaf.value) / 2
	).length;
	return moved > 0 ? `${moved === 1 ? 'One cell' : `${moved} cells`} beneath moved by more than half.` : undefined;
}
