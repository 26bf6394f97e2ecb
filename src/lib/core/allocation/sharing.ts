import { Block, LeafReader, Reader } from '../cube';
import type { Model } from '../model';
import { isEmpty } from '../number';
import type { AllocationWork } from './allocate';
import { divide, divideInBunches } from './divide';
import { decimalsAt, type Pool } from './pools';
import type { ReadyAllocation, ReadyDriver } from './ready';
import type { Translation } from './translation';
import { nameOfLeaf, type Weights } from './weights';

/** One amount shared out among receivers; what is handed over is used again for the next one. */
export interface Sharing {
	/** The line (place). */
	line: number;
	/** Where the pool is on the dimensions that pass through; 0 on those that change. */
	at: Int32Array;
	leaf: number;
	/** What was to be shared out. */
	amount: number;
	weights: Weights;
	/** By receiver. */
	parts: Float64Array;
}

/** Amounts by cell, summed up. */
export class Results {
	readonly block: Block;
	readonly #model: Model;
	readonly #fault: (message: string) => Error;

	constructor(model: Model, fault: (message: string) => Error) {
		this.#model = model;
		this.#fault = fault;
		this.block = new Block(model.dimensions.length, model.periods.leaves.length);
	}

	/** Refuses an account that a formula computes in a leaf period. */
	requireOpen(address: Int32Array, leaf: number): void {
		const { live, accountAxis, scenarioAxis, accounts } = this.#model;
		const account = address[accountAxis]!;
		if (live.has(account) && live.at(account, address[scenarioAxis]!, leaf))
			throw this.#fault(
				`“${accounts.member(account).name}” is computed by its formula in ${nameOfLeaf(this.#model, leaf)}: nothing can come there.`
			);
	}

	add(address: Int32Array, leaf: number, amount: number): void {
		this.requireOpen(address, leaf);
		this.addAt(this.block.ensure(address), leaf, amount);
	}

	/** The same where the series is known. */
	addAt(series: number, leaf: number, amount: number): void {
		const { block } = this;
		const place = series * block.width + leaf;
		const before = block.values[place]!;
		block.values[place] = before === before ? before + amount : amount;
	}
}

/** How one line shares out what its pool holds. */
export class LineSharing {
	readonly #work: AllocationWork;
	readonly #ready: ReadyAllocation;
	readonly #translation: Translation;
	readonly #pool: Pool;
	readonly #place: number;
	readonly #receiver: Int32Array;
	#parts = new Float64Array(0);
	/** By group and leaf: what went out of it. */
	readonly #out: Float64Array;
	readonly #rates: StandardRates;
	#known: { weights: Weights; at: Int32Array; series: Int32Array } | undefined;

	constructor(work: AllocationWork, ready: ReadyAllocation, translation: Translation, pool: Pool, place: number) {
		this.#work = work;
		this.#ready = ready;
		this.#translation = translation;
		this.#pool = pool;
		this.#place = place;
		this.#receiver = new Int32Array(work.model.dimensions.length);
		this.#out = new Float64Array(pool.groups.count * pool.groups.width);
		this.#rates = new StandardRates(work, translation);
	}

	/** Calls back with each group (its place on the passing dimensions) and leaf period that holds something. The address is reused. */
	each(visit: (at: Int32Array, group: number, leaf: number, amount: number) => void): void {
		const { groups } = this.#pool;
		const at = new Int32Array(this.#work.model.dimensions.length);
		for (let group = 0; group < groups.count; group++) {
			groups.readAddress(group, at);
			for (let leaf = 0; leaf < groups.width; leaf++) {
				const amount = groups.values[group * groups.width + leaf]!;
				if (!isEmpty(amount) && amount !== 0) visit(at, group, leaf, amount);
			}
		}
	}

	/** Shares an amount out. @returns what went out, and what of it lay below a cent; undefined where nothing weighs anybody */
	shareOut(
		weights: Weights,
		at: Int32Array,
		leaf: number,
		amount: number,
		results: Results,
		note: (sharing: Sharing) => void
	): { amount: number; below: number } | undefined {
		const { line } = this.#pool;
		const { model } = this.#work;
		const own = weights.at(leaf);
		if (own.every((weight) => weight === 0)) return undefined;
		if (this.#parts.length !== weights.count) this.#parts = new Float64Array(weights.count);
		const parts = this.#parts;
		const decimals = decimalsAt(model, at);
		const below =
			line.basis.by === 'standard'
				? this.#atStandard(weights, at, leaf, own, parts)
				: weights.bunch
					? divideInBunches(amount, own, weights.bunch, decimals, parts)
					: divide(amount, own, decimals, parts);
		const out = this.give(weights, at, leaf, parts, results);
		const done: Sharing = { line: this.#place, at, leaf, amount, weights, parts };
		note(done);
		this.#work.shared?.(done);
		return { amount: line.basis.by === 'standard' ? out : amount, below };
	}

	/** Gives each receiver its part, in its own currency. @returns what went out */
	give(weights: Weights, at: Int32Array, leaf: number, parts: Float64Array, results: Results): number {
		const { line, crosses } = this.#pool;
		const { model } = this.#work;
		const address = this.#receiver;
		address.set(at);
		const account = at[model.accountAxis]!;
		let out = 0;
		const series = this.#seriesOf(weights, at);
		const { changes } = line;
		const moves = changes.some(({ axis }) => axis === model.accountAxis);
		if (!moves) results.requireOpen(at, leaf);
		for (let receiver = 0; receiver < parts.length; receiver++) {
			const part = parts[receiver]!;
			if (part === 0) continue;
			if (series[receiver]! < 0 || crosses || moves) {
				for (let place = 0; place < changes.length; place++) address[changes[place]!.axis] = weights.members[place]![receiver]!;
				if (moves) results.requireOpen(address, leaf);
				if (series[receiver]! < 0) series[receiver] = results.block.ensure(address);
			}
			const factor = crosses ? this.#translation.factor(address, leaf, account, this.#ready.currency) : 1;
			results.addAt(series[receiver]!, leaf, part / factor);
			out += part;
		}
		return out;
	}

	/** How much of the driver there could be where a pool is; undefined where nobody says. */
	capacityAt(at: Int32Array, leaf: number): number | undefined {
		const { line, crosses } = this.#pool;
		if (!line.capacity) return undefined;
		const address = this.#receiver;
		address.set(at);
		for (const [axis, ordinal] of line.keeps?.at ?? []) address[axis] = ordinal;
		return this.#rates.at(line.capacity, address, leaf, crosses ? this.#ready.currency : this.#translation.currencyOf(at));
	}

	/** A part of an amount, to the cent. */
	partOf(at: Int32Array, amount: number, part: number): number {
		const scale = 10 ** decimalsAt(this.#work.model, at);
		const exact = amount * part;
		return part === 1 ? amount : Math.round(exact * scale + Math.sign(exact) * 1e-6) / scale;
	}

	/** Where the receivers of a group stand among the results, −1 while that is not known: the same for all of its periods. */
	#seriesOf(weights: Weights, at: Int32Array): Int32Array {
		if (this.#known?.weights !== weights || this.#known.at.some((ordinal, axis) => ordinal !== at[axis]))
			this.#known = { weights, at: at.slice(), series: new Int32Array(weights.count).fill(-1) };
		return this.#known.series;
	}

	/** Quantities at a rate: what comes of it is more or less than the pool. */
	#atStandard(weights: Weights, at: Int32Array, leaf: number, quantities: Float64Array, parts: Float64Array): number {
		const { basis } = this.#pool.line;
		if (basis.by !== 'standard') return 0;
		const decimals = decimalsAt(this.#work.model, at);
		const scale = 10 ** decimals;
		const address = this.#receiver;
		for (let receiver = 0; receiver < weights.count; receiver++) {
			let { rate } = basis as { rate: number | ReadyDriver };
			if (typeof rate !== 'number') {
				address.set(at);
				this.#pool.line.changes.forEach(({ axis }, place) => (address[axis] = weights.members[place]![receiver]!));
				rate = this.#rates.at(rate, address, leaf, this.#pool.crosses ? this.#ready.currency : this.#translation.currencyOf(at));
			}
			const exact = rate * quantities[receiver]!;
			parts[receiver] = Math.round(exact * scale + Math.sign(exact) * 1e-6) / scale;
		}
		return 0;
	}

	/** Notes what went out of a group. */
	settle(group: number, leaf: number, amount: number): void {
		this.#out[group * this.#pool.groups.width + leaf] = amount;
	}

	/** Takes what went out of the pool's cells, by the contra. */
	takeOut(results: Results): void {
		const { contra } = this.#ready;
		if (contra === 'none') return;
		const { model } = this.#work;
		const { cells, groups } = this.#pool;
		const address = new Int32Array(model.dimensions.length);
		for (let cell = 0; cell < cells.count; cell++) {
			const place = cells.group[cell]! * groups.width + cells.leaf[cell]!;
			const [out, held] = [this.#out[place]!, groups.values[place]!];
			if (out === 0) continue;
			// What went out whole is taken out to the last digit.
			const part = out === held ? cells.part[cell]! : (cells.part[cell]! * out) / held;
			cells.addresses.readAddress(cells.series[cell]!, address);
			const sign = contra === 'same account' ? 1 : signBetween(model, address[model.accountAxis]!, contra);
			if (contra !== 'same account') address[model.accountAxis] = contra;
			results.add(address, cells.leaf[cell]!, -part * sign);
		}
	}
}

/** Prices that quantities are taken at. */
class StandardRates {
	readonly #model: Model;
	readonly #translation: Translation;
	readonly #leaves: LeafReader;
	readonly #address: Int32Array;

	constructor({ model, cube }: AllocationWork, translation: Translation) {
		this.#model = model;
		this.#translation = translation;
		this.#leaves = new LeafReader(model, new Reader(cube).read);
		this.#address = new Int32Array(model.dimensions.length);
	}

	/** The price at a receiver, or at the members it is fixed at, in a currency; 0 where there is none. */
	at({ account, fixed }: ReadyDriver, receiver: Int32Array, leaf: number, currency: string): number {
		const address = this.#address;
		address.set(receiver);
		for (const [axis, weights] of fixed) address[axis] = weights.findIndex((weight) => weight !== 0);
		address[this.#model.accountAxis] = account;
		const { fiscalYear, position } = this.#model.periods.leaf(leaf);
		const frequency = this.#model.account(account)?.frequency;
		const value =
			frequency === 'timeless'
				? this.#leaves.value(address, 0, 0)
				: this.#leaves.value(address, fiscalYear, frequency === 'per year' ? 0 : position);
		return isEmpty(value) ? 0 : value * this.#translation.factor(address, leaf, account, currency);
	}
}

/** 1 where two accounts count alike in what stands above both of them, −1 where they count against each other. */
function signBetween(model: Model, one: number, other: number): number {
	const { tree } = model.accounts;
	const above = (account: number) => [account, ...tree.ancestors(account)];
	const common = above(one).find((each) => above(other).includes(each));
	if (common === undefined) return 1;
	const weightIn = (account: number) => {
		let found = 1;
		tree.eachWeightedLeaf(common, (leaf, weight) => leaf === account && (found = weight));
		return Math.sign(found) || 1;
	};
	return weightIn(one) * weightIn(other);
}
