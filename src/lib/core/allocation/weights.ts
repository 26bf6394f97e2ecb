import { Block, isTranslated } from '../cube';
import type { Model } from '../model';
import { eachCell } from '../script';
import type { Translation } from './translation';
import type { ReadyAllocation, ReadyDriver, ReadyLine, ReadyReceiver } from './ready';

/** What the receivers of a part of the pool weigh: their leaves, in the order of dimensions and hierarchies. */
export interface Weights {
	/** By changed axis, the ordinals of each receiver. */
	members: Int32Array[];
	count: number;
	/** By receiver: which of those it is that are weighed together, from 0; undefined where each is weighed by itself. */
	bunch?: Int32Array;
	/** By receiver, its weight in a leaf period; of a basis without drivers the same in all. */
	at: (leaf: number) => Float64Array;
}

/** The weights of a line's receivers, for any place on the dimensions that pass through. */
export interface WeightsOfLine {
	/** Undefined where nothing weighs anything there. */
	at: (address: Int32Array) => Weights | undefined;
	/** All receivers that may be reached evenly. */
	even: () => Weights;
}

/** What reading weights needs. */
export interface WeighingWork {
	model: Model;
	cube: Parameters<typeof eachCell>[0]['cube'];
	translation: Translation;
	breathe: () => void;
	fault: (message: string) => Error;
}

/** Reads what weighs the receivers of a line. O(cells of the driver accounts + receivers). */
export function weightsOf(work: WeighingWork, line: ReadyLine, { negative, currency }: ReadyAllocation): WeightsOfLine {
	const { changes, basis } = line;
	let evenly: Weights | undefined;
	const even = () => (evenly ??= everyReceiver(line));
	if (basis.by === 'even') return { at: even, even };
	const ranks = ranksOf(line);
	if (basis.by === 'fixed') {
		const table = new Table(work.model, line, []);
		for (const { leaves, share } of basis.shares) table.addEverywhere(leaves, share / leaves.reduce((all, each) => all * each.length, 1));
		const fixed = orderedWeights(table.everywhere(), ranks, () => {}, undefined);
		return { at: () => fixed, even };
	}
	// On which axes a driver depends on where the pool is: those that pass through, and where it is not fixed itself.
	const changed = new Set(changes.map(({ axis }) => axis));
	const passingOf = (driver: ReadyDriver) =>
		work.model.dimensions.map((_, axis) => axis).filter((axis) => !changed.has(axis) && tellsApart(work.model, driver, axis));
	const tables = basis.drivers.map((driver) => {
		const table = new Table(work.model, line, passingOf(driver));
		readDriver(work, line, driver, currency, table);
		return table;
	});
	const passing = [...new Set(basis.drivers.flatMap(passingOf))];
	const bunching = bunchingOf(work.model, line);
	const settle = (weights: Float64Array, leaf: number, members: Int32Array[]) => {
		// Quantities at standard are what they are.
		if (basis.by === 'standard') return;
		for (let at = 0; at < weights.length; at++) {
			if (weights[at]! >= 0) continue;
			if (negative === 'refuse')
				throw work.fault(
					`the driver is negative at ${members
						.map((ordinals, place) => work.model.dimensions[changes[place]!.axis]!.member(ordinals[at]!).name)
						.join(', ')} in ${nameOfLeaf(work.model, leaf)}. Let it count by absolute size, or put it right.`
				);
			weights[at] = Math.abs(weights[at]!);
		}
	};
	const known = new Map<string, Weights | undefined>();
	return {
		at: (address) => {
			const key = passing.map((axis) => address[axis]).join();
			if (!known.has(key)) {
				const block = together(tables.flatMap((table) => table.at(address) ?? []));
				known.set(key, block && orderedWeights(block, ranks, settle, bunching));
			}
			return known.get(key);
		},
		even
	};
}

/** Weights of several drivers added up; undefined where there are none. */
function together(blocks: readonly Block[]): Block | undefined {
	const [first] = blocks;
	if (!first || blocks.length === 1) return first;
	const sum = new Block(first.coordinates.length, first.width);
	const address = new Int32Array(first.coordinates.length);
	for (const block of blocks)
		for (let series = 0; series < block.count; series++) {
			const into = sum.ensure(block.readAddress(series, address)) * sum.width;
			for (let leaf = 0; leaf < sum.width; leaf++) addAt(sum.values, into + leaf, block.values[series * block.width + leaf]!);
		}
	return sum;
}

/** Adds to a place that may be empty; what is empty adds nothing. */
function addAt(values: Float64Array, place: number, value: number): void {
	if (value !== value) return;
	const before = values[place]!;
	values[place] = before === before ? before + value : value;
}

/** Where each leaf of the receivers comes, by changed axis. */
const ranksOf = ({ changes }: ReadyLine): ReadonlyMap<number, number>[] =>
	changes.map(({ receivers }) => {
		const rank = new Map<number, number>();
		for (const { leaves } of receivers) for (const leaf of leaves) if (!rank.has(leaf)) rank.set(leaf, rank.size);
		return rank;
	});

export const nameOfLeaf = (model: Model, leaf: number): string => model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name;

/** Whether a driver says something of each member on an axis; it has an account of its own, so nothing of accounts. */
const tellsApart = (model: Model, { fixed }: ReadyDriver, axis: number): boolean => axis !== model.accountAxis && !fixed.has(axis);

/** Adds the values of a driver to the receivers they weigh. */
function readDriver(work: WeighingWork, { changes, basis }: ReadyLine, driver: ReadyDriver, currency: string, table: Table): void {
	const { model, translation } = work;
	const atNamed = basis.by === 'driver' && basis.atNamed;
	const facts = model.account(driver.account)!;
	const leaves = model.periods.leaves.length;
	/** By changed axis and ordinal of the driver's leaf: the leaves of the receivers it weighs; none where it is outside. */
	const reached = changes.map(({ axis, receivers }) => {
		const found = new Map<number, Int32Array[]>();
		const all = !tellsApart(model, driver, axis);
		// Without the dimension it weighs everything on it together.
		if (all) found.set(-1, [reachedOf(receivers)]);
		else
			for (const receiver of receivers)
				for (const leaf of receiver.leaves) {
					if (atNamed) found.set(leaf, [...(found.get(leaf) ?? []), reachedOf([receiver])]);
					else if (!found.has(leaf)) found.set(leaf, [Int32Array.of(leaf)]);
				}
		return { axis, found, all };
	});
	const visit = (address: Int32Array, first: number, last: number, value: number) => {
		work.breathe();
		let weight = value;
		for (const [axis, weights] of driver.fixed) weight *= weights[address[axis]!]!;
		if (weight === 0) return;
		const sets: Int32Array[][] = [];
		for (const { axis, found, all } of reached) {
			const own = found.get(all ? -1 : address[axis]!);
			if (!own) return;
			sets.push(own);
		}
		for (let leaf = first; leaf <= last; leaf++) {
			const factor = isTranslated(facts) ? translation.factor(address, leaf, driver.account, currency) : 1;
			eachCombination(sets, (leavesOfEach) => {
				const size = leavesOfEach.reduce((all, each) => all * each.length, 1);
				if (size > 0) table.add(address, leavesOfEach, leaf, (weight * factor) / size);
			});
		}
	};
	if (facts.frequency === 'timeless') {
		const address = new Int32Array(model.dimensions.length);
		for (const { year, block } of work.cube.store.blocks())
			for (let series = 0; year === 0 && series < block.count; series++)
				if (
					block.coordinates[model.accountAxis]![series] === driver.account &&
					block.values[series * block.width]! === block.values[series * block.width]
				)
					visit(block.readAddress(series, address), 0, leaves - 1, block.values[series * block.width]!);
		return;
	}
	eachCell(
		work,
		(account) => account === driver.account,
		(address, leaf, value) => {
			if (facts.frequency !== 'per year') return visit(address, leaf, leaf, value);
			// A fact of the year weighs in all of its periods.
			const { fiscalYear } = model.periods.leaf(leaf);
			let last = leaf;
			while (last + 1 < leaves && model.periods.leaf(last + 1).fiscalYear === fiscalYear) last++;
			visit(address, leaf, last, value);
		}
	);
}

/** Calls back with one of each list, in order. */
function eachCombination(lists: readonly (readonly Int32Array[])[], visit: (one: Int32Array[]) => void, from: Int32Array[] = []): void {
	if (from.length === lists.length) return visit(from);
	for (const each of lists[from.length]!) eachCombination(lists, visit, [...from, each]);
}

/** The leaves of receivers that may be reached evenly, each once, in their order. */
function reachedOf(receivers: readonly ReadyReceiver[]): Int32Array {
	const seen = new Set<number>();
	for (const { leaves, reached } of receivers) for (let at = 0; at < leaves.length; at++) if (reached[at] === 1) seen.add(leaves[at]!);
	return Int32Array.from(seen);
}

/**
 * Which receivers are weighed together: those alike on every dimension on which a driver says something. Undefined where
 * each is weighed by itself.
 */
function bunchingOf(model: Model, { basis, changes }: ReadyLine): ((ordinals: readonly number[]) => string) | undefined {
	if (basis.by !== 'driver') return undefined;
	const isTogetherOn = (axis: number) => basis.drivers.every((driver) => !tellsApart(model, driver, axis));
	const says = changes.map(({ axis, receivers }) => {
		if (isTogetherOn(axis)) return () => -1;
		if (!basis.atNamed) return (ordinal: number) => ordinal;
		const named = new Map<number, number>();
		receivers.forEach(({ leaves }, at) => leaves.forEach((leaf) => named.has(leaf) || named.set(leaf, at)));
		return (ordinal: number) => named.get(ordinal)!;
	});
	const isTogether = basis.atNamed || changes.some(({ axis }) => isTogetherOn(axis));
	return isTogether ? (ordinals) => ordinals.map((ordinal, place) => says[place]!(ordinal)).join() : undefined;
}

/** All receivers that may be reached evenly, each weighing one. */
function everyReceiver({ changes }: ReadyLine): Weights {
	const leaves = changes.map(({ receivers }) => reachedOf(receivers));
	const count = leaves.reduce((all, { length }) => all * length, 1);
	const members = leaves.map(() => new Int32Array(count));
	for (let at = 0; at < count; at++) {
		let rest = at;
		for (let place = leaves.length - 1; place >= 0; place--) {
			const own = leaves[place]!;
			members[place]![at] = own[rest % own.length]!;
			rest = Math.trunc(rest / own.length);
		}
	}
	const ones = new Float64Array(count).fill(1);
	return { members, count, at: () => ones };
}

/** Weights by place on the passing axes and by receiver, summed up. */
class Table {
	readonly #model: Model;
	readonly #passing: readonly number[];
	readonly #blocks = new Map<string, Block>();
	readonly #address: Int32Array;
	#last: { coordinates: Int32Array; block: Block } | undefined;

	constructor(model: Model, line: ReadyLine, passing: readonly number[]) {
		this.#model = model;
		this.#passing = passing;
		this.#address = new Int32Array(line.changes.length);
	}

	/** Adds a weight to every combination of some leaves, in one leaf period. */
	add(address: Int32Array, leaves: readonly Int32Array[], leaf: number, weight: number): void {
		this.#each(this.#blockAt(address), leaves, 0, (block, series) => addAt(block.values, series * block.width + leaf, weight));
	}

	/** The same wherever one is, in all periods. */
	addEverywhere(leaves: readonly Int32Array[], weight: number): void {
		this.#each(this.everywhere(), leaves, 0, (block, series) => {
			for (let place = series * block.width; place < (series + 1) * block.width; place++) addAt(block.values, place, weight);
		});
	}

	/** The weights where a pool is; undefined where nothing weighs anything. */
	at(address: Int32Array): Block | undefined {
		return this.#blocks.get(this.#keyAt(address));
	}

	/** Those of a table that does not depend on where a pool is. */
	everywhere(): Block {
		return this.#made('');
	}

	#keyAt(address: Int32Array): string {
		return this.#passing.map((axis) => address[axis]).join();
	}

	#made(key: string): Block {
		let block = this.#blocks.get(key);
		if (!block) this.#blocks.set(key, (block = new Block(this.#address.length, this.#model.periods.leaves.length)));
		return block;
	}

	#blockAt(address: Int32Array): Block {
		const last = this.#last;
		if (last && this.#passing.every((axis, at) => last.coordinates[at] === address[axis])) return last.block;
		const block = this.#made(this.#keyAt(address));
		this.#last = { coordinates: Int32Array.from(this.#passing, (axis) => address[axis]!), block };
		return block;
	}

	#each(block: Block, leaves: readonly Int32Array[], axis: number, visit: (block: Block, series: number) => void): void {
		if (axis === leaves.length) return visit(block, block.ensure(this.#address));
		for (const ordinal of leaves[axis]!) {
			this.#address[axis] = ordinal;
			this.#each(block, leaves, axis + 1, visit);
		}
	}
}

/**
 * The weights of a block, receivers in the order of their hierarchies.
 * @param settle may change the weights of a period before they are used, or throw
 * @param bunching the same for receivers that are weighed together
 */
function orderedWeights(
	block: Block,
	ranks: readonly ReadonlyMap<number, number>[],
	settle: (weights: Float64Array, leaf: number, members: Int32Array[]) => void,
	bunching: ((ordinals: readonly number[]) => string) | undefined
): Weights {
	const order = Int32Array.from({ length: block.count }, (_, series) => series);
	const rankOf = ranks.map((rank, axis) =>
		Int32Array.from({ length: block.count }, (_, series) => rank.get(block.coordinates[axis]![series]!)!)
	);
	order.sort((one, other) => {
		for (const rank of rankOf) if (rank[one] !== rank[other]) return rank[one]! - rank[other]!;
		return 0;
	});
	const members = ranks.map((_, axis) => Int32Array.from(order, (series) => block.coordinates[axis]![series]!));
	const known = new Map<number, Float64Array>();
	return {
		members,
		count: block.count,
		...(bunching && { bunch: bunchesOf(members, block.count, bunching) }),
		at: (leaf) => {
			let weights = known.get(leaf);
			if (!weights) {
				weights = Float64Array.from(order, (series) => {
					const value = block.values[series * block.width + leaf]!;
					return value === value ? value : 0;
				});
				settle(weights, leaf, members);
				known.set(leaf, weights);
			}
			return weights;
		}
	};
}

function bunchesOf(members: readonly Int32Array[], count: number, bunching: (ordinals: readonly number[]) => string): Int32Array {
	const known = new Map<string, number>();
	return Int32Array.from({ length: count }, (_, at) => {
		const key = bunching(members.map((ordinals) => ordinals[at]!));
		if (!known.has(key)) known.set(key, known.size);
		return known.get(key)!;
	});
}
