import type { Model } from '../model';
import type { Sharing } from './sharing';
import { divide, divideInBunches } from './divide';
import { decimalsAt, type Pool } from './pools';
import type { ReadyAllocation } from './ready';
import type { Weights } from './weights';

/** Who receives, and who of them is weighed together. */
export interface TracedReceivers {
	/** By changed dimension: members (ids), a receiver each. */
	members: Int32Array[];
	bunch: Int32Array | null;
}

/**
 * How one line was shared out, to be followed later: by members and periods (ids), so that it answers after rules and
 * members were changed. Parts are not kept: they follow from amounts and weights, to the cent.
 */
export interface LineTrace {
	line: string;
	basis: ReadyAllocation['lines'][number]['basis']['by'];
	/** Names of what weighed. */
	drivers: string[];
	/** The currency amounts were shared in where it is another than the pool's own; null elsewhere. */
	currency: string | null;
	/** Dimensions (ids) of addresses, and those on which the receivers are others. */
	dimensions: number[];
	changed: number[];
	/** The pool's cells: members side by side, period, what each is of its group, group. */
	cells: { members: Int32Array; period: Int32Array; amount: Float64Array; group: Int32Array };
	/** What is shared together: members side by side, 0 where receivers are others. */
	groups: Int32Array;
	sharings: {
		group: Int32Array;
		period: Int32Array;
		amount: Float64Array;
		receivers: Int32Array;
		weights: Int32Array;
		decimals: Int32Array;
	};
	receivers: TracedReceivers[];
	weights: Float64Array[];
	/** At standard, by sharing: the parts, which follow from prices. */
	parts: Float64Array[] | null;
}

/** One sharing out, as it is noted. */
interface Noted {
	group: number;
	leaf: number;
	amount: number;
	receivers: number;
	weights: number;
	decimals: number;
}

/** Notes how a line is shared out while that is done. */
export class LineTracer {
	readonly #model: Model;
	readonly #pool: Pool;
	readonly #sharings: Noted[] = [];
	readonly #receivers = new Map<Weights, number>();
	readonly #weights = new Map<Float64Array, number>();
	readonly #parts: Float64Array[] = [];

	constructor(model: Model, pool: Pool) {
		this.#model = model;
		this.#pool = pool;
	}

	note({ at, leaf, amount, weights, parts }: Sharing, group: number): void {
		const placeOf = <Key>(places: Map<Key, number>, key: Key) => {
			if (!places.has(key)) places.set(key, places.size);
			return places.get(key)!;
		};
		this.#sharings.push({
			group,
			leaf,
			amount,
			receivers: placeOf(this.#receivers, weights),
			weights: placeOf(this.#weights, weights.at(leaf)),
			decimals: decimalsAt(this.#model, at)
		});
		if (this.#pool.line.basis.by === 'standard') this.#parts.push(parts.slice());
	}

	trace(currency: string): LineTrace {
		const model = this.#model;
		const { line, groups, cells, crosses } = this.#pool;
		const axes = model.dimensions.map((_, axis) => axis);
		const isChanged = new Set(line.changes.map(({ axis }) => axis));
		const periodOf = (leaf: number) => model.periods.dimension.member(model.periods.leaf(leaf).ordinal).id;
		const idsOf = (
			block: { count: number; coordinates: readonly Int32Array[] },
			series: (place: number) => number,
			count: number,
			without?: ReadonlySet<number>
		) => {
			const found = new Int32Array(count * axes.length);
			for (let place = 0; place < count; place++)
				for (const axis of axes)
					found[place * axes.length + axis] = without?.has(axis)
						? 0
						: model.dimensions[axis]!.member(block.coordinates[axis]![series(place)]!).id;
			return found;
		};
		const column = (of: (sharing: Noted) => number) => Int32Array.from(this.#sharings, of);
		const { basis } = line;
		return {
			line: line.name,
			basis: basis.by,
			drivers: 'drivers' in basis ? basis.drivers.map(({ account }) => model.accounts.member(account).name) : [],
			currency: crosses ? currency : null,
			dimensions: model.dimensions.map(({ id }) => id),
			changed: line.changes.map(({ axis }) => model.dimensions[axis]!.id),
			cells: {
				members: idsOf(cells.addresses, (cell) => cells.series[cell]!, cells.count),
				period: Int32Array.from({ length: cells.count }, (_, cell) => periodOf(cells.leaf[cell]!)),
				amount: cells.amount.slice(0, cells.count),
				group: cells.group.slice(0, cells.count)
			},
			groups: idsOf(groups, (group) => group, groups.count, isChanged),
			sharings: {
				group: column(({ group }) => group),
				period: column(({ leaf }) => periodOf(leaf)),
				amount: Float64Array.from(this.#sharings, ({ amount }) => amount),
				receivers: column(({ receivers }) => receivers),
				weights: column(({ weights }) => weights),
				decimals: column(({ decimals }) => decimals)
			},
			receivers: [...this.#receivers.keys()].map((weights) => ({
				members: weights.members.map((ordinals, place) =>
					Int32Array.from(ordinals, (ordinal) => model.dimensions[line.changes[place]!.axis]!.member(ordinal).id)
				),
				bunch: weights.bunch ?? null
			})),
			weights: [...this.#weights.keys()].map((weights) => weights.slice()),
			parts: basis.by === 'standard' ? this.#parts : null
		};
	}
}

/** A part of the model that is followed: how each leaf (id) of a dimension (id) counts in it, and its leaf periods (ids). */
export interface Followed {
	weights: ReadonlyMap<number, ReadonlyMap<number, number>>;
	periods: ReadonlySet<number>;
	/**
	 * What one unit of an amount at a cell comes to in the figure, its weights apart: by its account's behaviour over time and
	 * the rate of its currency; 0 where it does not count. One without.
	 */
	unit?: (cell: FollowedCell) => number;
}

/** A cell as a trace names it. */
export interface FollowedCell {
	/** Members (ids), and of which dimensions (ids) they are: those the model had then. */
	members: ArrayLike<number>;
	dimensions: readonly number[];
	period: number;
	/** The currency an amount there is in; null for the cell's own. */
	currency: string | null;
}

interface Followable {
	line: string;
	basis: LineTrace['basis'];
	drivers: string[];
	/** Members (ids) of a cell, and of which dimensions (ids) they are: those the model had then. */
	members: number[];
	dimensions: readonly number[];
	amount: number;
}

/** What came from one cell of a pool, all periods together, as it counts in what is followed. */
export interface Link extends Followable {
	/** What the whole of the cell was that was shared out in those periods. */
	of: number;
	/** What the receivers weigh, and all of them; undefined over several periods. */
	weight?: number;
	weights?: number;
}

/** What went from a part of the model to one receiver, all periods together. */
export type Given = Followable;

/** The parts of a sharing, as they were. */
export function partsOf({ sharings, receivers, weights, parts }: LineTrace, sharing: number): Float64Array {
	if (parts) return parts[sharing]!;
	const own = weights[sharings.weights[sharing]!]!;
	const into = new Float64Array(own.length);
	const { bunch } = receivers[sharings.receivers[sharing]!]!;
	const [amount, decimals] = [sharings.amount[sharing]!, sharings.decimals[sharing]!];
	if (bunch) divideInBunches(amount, own, bunch, decimals, into);
	else divide(amount, own, decimals, into);
	return into;
}

/** How a member (id) counts in what is followed; all do of a dimension that the model does not have any more. */
function countOf(counted: Followed['weights'], dimension: number, member: number): number {
	const weights = counted.get(dimension);
	return weights ? (weights.get(member) ?? 0) : 1;
}

/** How each receiver counts in what is followed, and whether any does. */
function receiverCounts(
	{ members }: TracedReceivers,
	changed: readonly number[],
	counted: Followed['weights']
): { each: Float64Array; some: boolean } {
	const each = new Float64Array(members[0]?.length ?? 0).fill(1);
	changed.forEach((dimension, place) => {
		for (let receiver = 0; receiver < each.length; receiver++) each[receiver]! *= countOf(counted, dimension, members[place]![receiver]!);
	});
	return { each, some: each.some((count) => count !== 0) };
}

/** Groups and periods as one number: neither has more than 2³¹, and groups far fewer. */
const keyOf = (group: number, period: number): number => group * 2 ** 31 + period;

/** The address of a receiver of a sharing. */
export function receiverAt({ dimensions, changed, groups, receivers, sharings }: LineTrace, sharing: number, receiver: number): number[] {
	const group = sharings.group[sharing]!;
	const at = Array.from(groups.subarray(group * dimensions.length, (group + 1) * dimensions.length));
	const { members } = receivers[sharings.receivers[sharing]!]!;
	changed.forEach((dimension, place) => (at[dimensions.indexOf(dimension)] = members[place]![receiver]!));
	return at;
}

/** How the dimensions of an address that are not left out count in what is followed. */
function productOf(
	counted: Followed['weights'],
	dimensions: readonly number[],
	members: Int32Array,
	without: readonly number[] = []
): number {
	let times = 1;
	for (let axis = 0; axis < dimensions.length && times !== 0; axis++)
		if (!without.includes(dimensions[axis]!)) times *= countOf(counted, dimensions[axis]!, members[axis]!);
	return times;
}

/**
 * From where a part of the model got what a line shared out. The links of a line add up to what came, to the cent.
 * O(sharings × receivers of those that reach it).
 */
export function followBack(trace: LineTrace, { weights: counted, periods, unit }: Followed): Link[] {
	const { sharings, dimensions, changed, groups, cells, currency } = trace;
	const width = dimensions.length;
	const cellsOf = new Map<number, number[]>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		if (!periods.has(cells.period[cell]!)) continue;
		const key = keyOf(cells.group[cell]!, cells.period[cell]!);
		const known = cellsOf.get(key);
		if (known) known.push(cell);
		else cellsOf.set(key, [cell]);
	}
	const links = new Map<string, Link & { periods: number; weight: number; weights: number }>();
	const countsOf: ReturnType<typeof receiverCounts>[] = [];
	for (let sharing = 0; sharing < sharings.group.length; sharing++) {
		const period = sharings.period[sharing]!;
		if (!periods.has(period)) continue;
		const group = sharings.group[sharing]!;
		const times = productOf(counted, dimensions, groups.subarray(group * width, (group + 1) * width), changed);
		if (times === 0) continue;
		const place = sharings.receivers[sharing]!;
		const counts = (countsOf[place] ??= receiverCounts(trace.receivers[place]!, changed, counted));
		if (!counts.some) continue;
		// Receivers of one sharing are alike in their behaviour over time, and their amounts in one currency.
		const reached = counts.each.findIndex((count) => count !== 0);
		const worth = unit?.({ members: receiverAt(trace, sharing, reached), dimensions, period, currency }) ?? 1;
		if (worth === 0) continue;
		const own = trace.weights[sharings.weights[sharing]!]!;
		const parts = partsOf(trace, sharing);
		let amount = 0;
		let weight = 0;
		for (let receiver = 0; receiver < own.length; receiver++) {
			const count = counts.each[receiver]!;
			if (count === 0) continue;
			amount += times * count * parts[receiver]!;
			weight += own[receiver]!;
		}
		if (amount === 0) continue;
		const from = cellsOf.get(keyOf(group, period)) ?? [];
		const whole = own.reduce((sum, each) => sum + each, 0);
		sharedBetween(
			amount,
			Float64Array.from(from, (cell) => cells.amount[cell]!),
			sharings.decimals[sharing]!
		).forEach((received, index) => {
			const cell = from[index]!;
			const at = Array.from(cells.members.subarray(cell * width, (cell + 1) * width));
			const link = links.get(at.join()) ?? { ...headOf(trace), members: at, amount: 0, of: 0, weight: 0, weights: 0, periods: 0 };
			link.amount += worth * received;
			link.of += worth * cells.amount[cell]!;
			link.weight += weight;
			link.weights += whole;
			link.periods++;
			links.set(at.join(), link);
		});
	}
	return [...links.values()]
		.map(({ periods: count, weight, weights, ...link }): Link => (count === 1 ? { ...link, weight, weights } : link))
		.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount));
}

const headOf = ({ line, basis, drivers, dimensions }: LineTrace): Omit<Followable, 'members' | 'amount'> => ({
	line,
	basis,
	drivers,
	dimensions
});

/** An amount by the cells it came from: to the cent where they have one sign, else as each is of all of them. */
function sharedBetween(amount: number, cells: Float64Array, decimals: number): Float64Array {
	const parts = new Float64Array(cells.length);
	if (cells.every((each) => each >= 0) || cells.every((each) => each <= 0)) divide(amount, cells.map(Math.abs), decimals, parts);
	else {
		const all = cells.reduce((sum, each) => sum + each, 0);
		cells.forEach((each, at) => (parts[at] = (amount * each) / all));
	}
	return parts;
}

/**
 * Where a part of the model went by what a line shared out. Of a pool of several cells each receiver got from each as the
 * cell is of the pool. O(sharings that it is in × their receivers).
 */
export function followForward(trace: LineTrace, { weights: counted, periods, unit }: Followed): Given[] {
	const { sharings, dimensions, cells, currency } = trace;
	const width = dimensions.length;
	/** By group and period: how much of it lies in what is followed, as that counts it. */
	const within = new Map<number, { own: number; all: number }>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		const period = cells.period[cell]!;
		if (!periods.has(period)) continue;
		const members = cells.members.subarray(cell * width, (cell + 1) * width);
		const times = productOf(counted, dimensions, members);
		const known = within.get(keyOf(cells.group[cell]!, period)) ?? { own: 0, all: 0 };
		known.all += cells.amount[cell]!;
		if (times !== 0) known.own += times * cells.amount[cell]! * (unit?.({ members, dimensions, period, currency }) ?? 1);
		within.set(keyOf(cells.group[cell]!, period), known);
	}
	const given = new Map<string, Given>();
	for (let sharing = 0; sharing < sharings.group.length; sharing++) {
		const part = within.get(keyOf(sharings.group[sharing]!, sharings.period[sharing]!));
		if (!part || part.own === 0 || part.all === 0) continue;
		partsOf(trace, sharing).forEach((received, receiver) => {
			if (received === 0) return;
			const at = receiverAt(trace, sharing, receiver);
			const known = given.get(at.join()) ?? { ...headOf(trace), members: at, amount: 0 };
			known.amount += (received * part.own) / part.all;
			given.set(at.join(), known);
		});
	}
	return [...given.values()].sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount));
}
