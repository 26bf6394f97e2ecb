import { addsUp, Block } from '../cube';
import type { Model } from '../model';
import { eachCell, type Scope } from '../script';
import { divide } from './divide';
import type { ReadyAllocation, ReadyLine } from './ready';
import type { WeighingWork } from './weights';

/** The cells of a line's pool, each with the part of it that the line shares out, in its own currency. */
export class PoolCells {
	/** Addresses of the cells; one for all of its periods. */
	readonly addresses: Block;
	count = 0;
	series = new Int32Array(64);
	leaf = new Int32Array(64);
	part = new Float64Array(64);
	/** The same as it counts in its group: by weights, in the group's currency. */
	amount = new Float64Array(64);
	/** The series of the group it goes into. */
	group = new Int32Array(64);

	constructor(dimensions: number) {
		this.addresses = new Block(dimensions, 1);
	}

	add(address: Int32Array, leaf: number, part: number, amount: number, group: number): void {
		if (this.count === this.series.length) this.#grow();
		this.series[this.count] = this.addresses.ensure(address);
		this.leaf[this.count] = leaf;
		this.part[this.count] = part;
		this.amount[this.count] = amount;
		this.group[this.count++] = group;
	}

	#grow(): void {
		const size = this.series.length * 2;
		const wider = <Column extends Int32Array | Float64Array>(column: Column, empty: Column): Column => (empty.set(column), empty);
		this.series = wider(this.series, new Int32Array(size));
		this.leaf = wider(this.leaf, new Int32Array(size));
		this.group = wider(this.group, new Int32Array(size));
		this.part = wider(this.part, new Float64Array(size));
		this.amount = wider(this.amount, new Float64Array(size));
	}
}

/**
 * The pool of a line: what is shared out together. Amounts stand by their place on the dimensions that pass through (those
 * that change are 0, the account the first that receives), leaf period by leaf period: in their own currency, or in the step's where the entity changes.
 */
export interface Pool {
	line: ReadyLine;
	groups: Block;
	cells: PoolCells;
	/** Whether amounts are in the currency of the step, since receivers are other entities. */
	crosses: boolean;
}

/** Amounts of a cell are divided among lines to its account's decimals. */
export const decimalsAt = (model: Model, address: Int32Array): number => model.account(address[model.accountAxis]!)?.decimals ?? 2;

/** A line whose pool is gathered, and the currency of its step. */
export interface PooledLine {
	line: ReadyLine;
	currency: string;
}

/** Puts cells into the pools of lines: each is divided among the lines it belongs to and what is kept. */
export class Pools {
	readonly pools: Pool[];
	/** What no line shares out: by the address and leaf period of each cell, in its own currency; its group is the first line that leaves it. */
	readonly kept: PoolCells;
	readonly #work: WeighingWork;
	readonly #lines: readonly PooledLine[];
	readonly #within: Within;
	/** By axis: members that are in the pool of some line; undefined where all are. */
	readonly #may: readonly (Uint8Array | undefined)[];
	readonly #group: Int32Array;

	constructor(work: WeighingWork, lines: readonly PooledLine[]) {
		const { model } = work;
		this.#work = work;
		this.#lines = lines;
		this.pools = lines.map(({ line }): Pool => ({
			line,
			groups: new Block(model.dimensions.length, model.periods.leaves.length),
			cells: new PoolCells(model.dimensions.length),
			crosses: line.changes.some(({ axis }) => axis === model.entityAxis)
		}));
		this.kept = new PoolCells(model.dimensions.length);
		this.#within = new Within(lines.map(({ line }) => line));
		this.#may = model.dimensions.map(({ members }, axis) => anyOf(lines, axis, members.length));
		this.#group = new Int32Array(model.dimensions.length);
	}

	/** The lines (places) a cell belongs to. */
	linesAt(address: Int32Array, leaf: number): readonly number[] {
		return this.#within.at(address, leaf).map(({ place }) => place);
	}

	/** Whether an address may be in the pool of a line, in some period; quick for those that are in none. */
	mayHold(address: Int32Array): boolean {
		return (
			this.#may.every((allowed, axis) => allowed === undefined || allowed[address[axis]!] === 1) && this.#within.ever(address).length > 0
		);
	}

	/** The series of the group that a cell goes into by a line. */
	groupOf(line: number, address: Int32Array): number {
		const { model } = this.#work;
		const group = this.#group;
		group.set(address);
		// Amounts that change their account have the receiver's from here on: it says how they are kept.
		for (const { axis, receivers } of this.pools[line]!.line.changes)
			group[axis] = axis === model.accountAxis ? receivers[0]!.leaves[0]! : 0;
		return this.pools[line]!.groups.ensure(group);
	}

	/** What one unit at a cell, in its own currency, comes to in its group by a line. */
	unitOf(line: number, address: Int32Array, leaf: number): number {
		const { model, translation } = this.#work;
		const { crosses, line: own } = this.pools[line]!;
		let unit = crosses ? translation.factor(address, leaf, address[model.accountAxis]!, this.#lines[line]!.currency) : 1;
		for (const { axis, weights } of own.changes) unit *= weights[address[axis]!]!;
		return unit;
	}

	/** Adds what a cell holds. @returns whether any line is about it; @throws the fault where lines take more than there is */
	add(address: Int32Array, leaf: number, amount: number): boolean {
		const own = this.#within.at(address, leaf);
		if (own.length === 0) return false;
		const parts = divided(this.#work, address, leaf, amount, own);
		own.forEach((line, at) => {
			if (parts[at] !== 0) this.#put(line.place, address, leaf, parts[at]!);
		});
		const rest = parts[own.length]!;
		// As it counts in the first of the lines that leave it.
		const counted = own[0]!.changes.reduce((amount, { axis, weights }) => amount * weights[address[axis]!]!, rest);
		if (rest !== 0) this.kept.add(address, leaf, rest, counted, own[0]!.place);
		return true;
	}

	#put(line: number, address: Int32Array, leaf: number, part: number): void {
		const { groups, cells } = this.pools[line]!;
		const amount = part * this.unitOf(line, address, leaf);
		const series = this.groupOf(line, address);
		const place = series * groups.width + leaf;
		const before = groups.values[place]!;
		groups.values[place] = before === before ? before + amount : amount;
		cells.add(address, leaf, part, amount, series);
	}
}

/** Calls back with every cell that may be in the pool of a line. The address is reused. O(cells of the pools' accounts). */
export function eachPoolCell(
	work: WeighingWork,
	lines: readonly ReadyLine[],
	visit: (address: Int32Array, leaf: number, amount: number) => void
): void {
	const { model } = work;
	const wanted = new Uint8Array(model.accounts.members.length);
	for (const { pool } of lines)
		for (let account = 0; account < wanted.length; account++) if (isIn(pool, model.accountAxis, account)) wanted[account] = 1;
	eachCell(
		work,
		(account) => wanted[account] === 1 && addsUp(model, account) && (model.account(account)?.frequency ?? 'per period') === 'per period',
		(address, leaf, amount) => {
			work.breathe();
			if (amount !== 0) visit(address, leaf, amount);
		}
	);
}

/** Gathers the pools of all lines, each cell divided among the lines it belongs to and what is kept. O(cells of the pools' accounts). */
export function gatherPools(work: WeighingWork, { lines, currency }: ReadyAllocation): Pools {
	const pools = new Pools(
		work,
		lines.map((line) => ({ line, currency }))
	);
	eachPoolCell(work, lines, (address, leaf, amount) => pools.add(address, leaf, amount));
	return pools;
}

/** Members (ordinals) on an axis that are in the pool of some line; undefined where one does not say. */
function anyOf(lines: readonly PooledLine[], axis: number, count: number): Uint8Array | undefined {
	const any = new Uint8Array(count);
	for (const { line } of lines) {
		const allowed = line.pool.axes.get(axis);
		if (!allowed) return undefined;
		for (let ordinal = 0; ordinal < count; ordinal++) any[ordinal]! |= allowed[ordinal]!;
	}
	return any;
}

type PlacedLine = ReadyLine & { place: number };

/** The amount by line, in their order, and what is kept. @throws the fault where lines take more than there is */
function divided(
	{ fault, model }: Pick<WeighingWork, 'fault' | 'model'>,
	address: Int32Array,
	leaf: number,
	amount: number,
	lines: readonly PlacedLine[]
): Float64Array {
	let taken = 0;
	for (const { share } of lines) taken += share;
	const rest = 1 - taken;
	if (rest < -1e-9)
		throw fault(
			`${lines.map(({ name }) => `“${name}”`).join(' and ')} share out ${Math.round(taken * 1e6) / 1e4} % of ${model.accounts.member(address[model.accountAxis]!).name} in ${model.periods.dimension.member(model.periods.leaf(leaf).ordinal).name}: more than there is.`
		);
	const shares = Float64Array.from([...lines.map(({ share }) => share), rest < 1e-9 ? 0 : rest]);
	const parts = new Float64Array(shares.length);
	if (lines.length === 1 && shares[1] === 0) parts[0] = amount;
	else divide(amount, shares, decimalsAt(model, address), parts);
	return parts;
}

const isIn = ({ axes }: Scope, axis: number, ordinal: number): boolean => (axes.get(axis)?.[ordinal] ?? 1) === 1;

/** Fewer lines than these are looked through one by one. */
const FEW = 8;
/** Members named by all lines together, at most, for an index to be worth its room. */
const MOST_NAMED = 1_000_000;

/** Lines by the members they name on the axis that leaves fewest of them for a member; undefined where that helps nothing. */
function indexOf(lines: readonly PlacedLine[]): { axis: number; byMember: Map<number, PlacedLine[]> } | undefined {
	if (lines.length < FEW) return undefined;
	let best: { axis: number; byMember: Map<number, PlacedLine[]>; left: number } | undefined;
	for (const axis of lines[0]!.pool.axes.keys()) {
		const named = lines.map(({ pool }) => pool.axes.get(axis));
		if (named.includes(undefined)) continue;
		if (named.reduce((sum, allowed) => sum + allowed!.reduce((all, each) => all + each, 0), 0) > MOST_NAMED) continue;
		const byMember = new Map<number, PlacedLine[]>();
		lines.forEach((line, at) =>
			named[at]!.forEach((isNamed, member) => {
				if (isNamed === 0) return;
				const known = byMember.get(member);
				if (known) known.push(line);
				else byMember.set(member, [line]);
			})
		);
		let [squares, all] = [0, 0];
		for (const { length } of byMember.values()) {
			squares += length * length;
			all += length;
		}
		const left = squares / all;
		if (!best || left < best.left) best = { axis, byMember, left };
	}
	return best;
}

/** Which lines a cell belongs to; the same for all cells of a series but for the period. */
class Within {
	readonly #lines: readonly PlacedLine[];
	readonly #last: Int32Array;
	/** On the axis that tells lines apart best: those that name a member. */
	readonly #index: { axis: number; byMember: ReadonlyMap<number, readonly PlacedLine[]> } | undefined;
	#own: PlacedLine[] = [];
	#isKnown = false;

	constructor(lines: readonly ReadyLine[]) {
		this.#lines = lines.map((line, place) => ({ ...line, place }));
		this.#last = new Int32Array(64);
		this.#index = indexOf(this.#lines);
	}

	at(address: Int32Array, leaf: number): PlacedLine[] {
		return this.ever(address).filter(({ pool }) => (pool.periods?.[leaf] ?? 1) === 1);
	}

	/** The same in some period. */
	ever(address: Int32Array): PlacedLine[] {
		let isSame = this.#isKnown;
		for (let axis = 0; axis < address.length && isSame; axis++) isSame = this.#last[axis] === address[axis];
		if (!isSame) {
			this.#last.set(address);
			this.#isKnown = true;
			const near = this.#index ? (this.#index.byMember.get(address[this.#index.axis]!) ?? []) : this.#lines;
			this.#own = near.filter(
				({ pool, changes }) =>
					[...pool.axes].every(([axis, allowed]) => allowed[address[axis]!] === 1) &&
					changes.every(({ axis, weights }) => weights[address[axis]!] !== 0)
			);
		}
		return this.#own;
	}
}
