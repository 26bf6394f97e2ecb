import type { Model } from '../model';
import type { Sharing } from './allocate';
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
	/** The pool's cells: members side by side, period, part of the cell in its own currency, group. */
	cells: { members: Int32Array; period: Int32Array; part: Float64Array; group: Int32Array };
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
				part: cells.part.slice(0, cells.count),
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
}

/** What came from one cell of a pool, all periods together. */
export interface Link {
	line: string;
	basis: LineTrace['basis'];
	drivers: string[];
	currency: string | null;
	/** Members (ids) of the pool's cell, and of which dimensions (ids) they are: those the model had then. */
	members: number[];
	dimensions: readonly number[];
	/** What came of it, and what the whole pool shared out in those periods. */
	amount: number;
	of: number;
	/** What the receivers weigh, and all of them; undefined over several periods. */
	weight?: number;
	weights?: number;
}

/** The parts of a sharing, as they were. */
function partsOf({ sharings, receivers, weights, parts }: LineTrace, sharing: number): Float64Array {
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

/**
 * From where a part of the model got what a line shared out. The links of a line add up to what came, to the cent.
 * O(sharings × receivers of those that reach it).
 */
export function followBack(trace: LineTrace, { weights: counted, periods }: Followed): Link[] {
	const { sharings, dimensions, changed, groups, cells } = trace;
	const width = dimensions.length;
	const isChanged = dimensions.map((dimension) => changed.includes(dimension));
	const cellsOf = new Map<number, number[]>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		if (!periods.has(cells.period[cell]!)) continue;
		const key = cells.group[cell]! * 1_000_000 + cells.period[cell]!;
		const known = cellsOf.get(key);
		if (known) known.push(cell);
		else cellsOf.set(key, [cell]);
	}
	const links = new Map<string, Link & { periods: number }>();
	const countsOf: ReturnType<typeof receiverCounts>[] = [];
	for (let sharing = 0; sharing < sharings.group.length; sharing++) {
		const period = sharings.period[sharing]!;
		if (!periods.has(period)) continue;
		const group = sharings.group[sharing]!;
		let times = 1;
		for (let axis = 0; axis < width && times !== 0; axis++)
			if (!isChanged[axis]) times *= countOf(counted, dimensions[axis]!, groups[group * width + axis]!);
		if (times === 0) continue;
		const counts = (countsOf[sharings.receivers[sharing]!] ??= receiverCounts(
			trace.receivers[sharings.receivers[sharing]!]!,
			changed,
			counted
		));
		if (!counts.some) continue;
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
		const from = cellsOf.get(group * 1_000_000 + period) ?? [];
		const sizes = Float64Array.from(from, (cell) => Math.abs(cells.part[cell]!));
		const received = new Float64Array(from.length);
		divide(amount, sizes, sharings.decimals[sharing]!, received);
		from.forEach((cell, place) => {
			const at = Array.from(cells.members.subarray(cell * width, (cell + 1) * width));
			const key = at.join();
			const link = links.get(key) ?? {
				line: trace.line,
				basis: trace.basis,
				drivers: trace.drivers,
				currency: trace.currency,
				members: at,
				dimensions,
				amount: 0,
				of: 0,
				weight: 0,
				weights: 0,
				periods: 0
			};
			link.amount += received[place]!;
			link.of += cells.part[cell]!;
			link.weight = link.weight! + weight;
			link.weights = link.weights! + own.reduce((sum, each) => sum + each, 0);
			link.periods++;
			links.set(key, link);
		});
	}
	return [...links.values()]
		.map(({ periods: count, weight, weights: all, ...link }): Link =>
			count === 1 && weight !== undefined && all !== undefined ? { ...link, weight, weights: all } : link
		)
		.sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount));
}

/** What went from a part of the model to one receiver, all periods together. */
export interface Given {
	line: string;
	basis: LineTrace['basis'];
	drivers: string[];
	currency: string | null;
	/** Members (ids) of the receiver, and of which dimensions (ids) they are. */
	members: number[];
	dimensions: readonly number[];
	amount: number;
}

/**
 * Where a part of the model went by what a line shared out. Of a pool of several cells each receiver got from each as the
 * cell is of the pool. O(sharings that it is in × their receivers).
 */
export function followForward(trace: LineTrace, { weights: counted, periods }: Followed): Given[] {
	const { sharings, dimensions, changed, groups, cells } = trace;
	const width = dimensions.length;
	/** By group and period: how much of it lies in what is followed. */
	const within = new Map<number, { own: number; all: number }>();
	for (let cell = 0; cell < cells.group.length; cell++) {
		if (!periods.has(cells.period[cell]!)) continue;
		let times = 1;
		for (let axis = 0; axis < width && times !== 0; axis++)
			times *= countOf(counted, dimensions[axis]!, cells.members[cell * width + axis]!);
		const key = cells.group[cell]! * 1_000_000 + cells.period[cell]!;
		const known = within.get(key) ?? { own: 0, all: 0 };
		known.all += Math.abs(cells.part[cell]!);
		known.own += times * Math.abs(cells.part[cell]!);
		within.set(key, known);
	}
	const given = new Map<string, Given>();
	for (let sharing = 0; sharing < sharings.group.length; sharing++) {
		const group = sharings.group[sharing]!;
		const part = within.get(group * 1_000_000 + sharings.period[sharing]!);
		if (!part || part.own === 0 || part.all === 0) continue;
		const { members } = trace.receivers[sharings.receivers[sharing]!]!;
		const parts = partsOf(trace, sharing);
		for (let receiver = 0; receiver < parts.length; receiver++) {
			if (parts[receiver] === 0) continue;
			const at = Array.from(groups.subarray(group * width, (group + 1) * width));
			changed.forEach((dimension, place) => (at[dimensions.indexOf(dimension)] = members[place]![receiver]!));
			const key = at.join();
			const known = given.get(key) ?? {
				line: trace.line,
				basis: trace.basis,
				drivers: trace.drivers,
				currency: trace.currency,
				members: at,
				dimensions,
				amount: 0
			};
			known.amount += (parts[receiver]! * part.own) / part.all;
			given.set(key, known);
		}
	}
	return [...given.values()].sort((one, other) => Math.abs(other.amount) - Math.abs(one.amount));
}
