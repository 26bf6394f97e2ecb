import { Block, isTranslated } from '../../cube';
import type { Dimension } from '../../dimension';
import { EMPTY, isEmpty } from '../../number';
import type { AxisRead, Operand } from '../tree';
import { factorsInto, translated } from './exchange';
import { eachAddress, eachCell, type OperandReader, type Reading } from './reading';

/** A parent account, or members added up: worked out once for all cells that share the members left free. */
export class TotalReader implements OperandReader {
	readonly #reading: Reading;
	readonly #operand: Operand;
	readonly #key: Int32Array;
	#sums: Block | undefined;
	#series = -1;
	readonly #currencies: readonly string[];
	readonly #rates = new Map<string, Float64Array>();

	constructor(reading: Reading, operand: Operand) {
		const { model } = reading;
		this.#reading = reading;
		this.#operand = operand;
		// The last place of the key is the currency of the target.
		this.#key = new Int32Array(model.dimensions.length + 1);
		const entities = model.dimensions[model.entityAxis];
		this.#currencies = entities ? [...new Set(entities.members.map((_, ordinal) => model.currencyOf(ordinal)))] : [];
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#build();
		this.#key.fill(0);
		for (let axis = 0; axis < address.length; axis++) {
			const where = this.#operand.axes.get(axis);
			const { tree } = model.dimensions[axis]!;
			if (axis === model.accountAxis || where?.kind === 'over' || where?.kind === 'of' || where?.kind === 'member') continue;
			if (!where) this.#key[axis] = address[axis]!;
			else if (where.kind === 'parent') {
				// Above a root there is nobody.
				if (tree.parent[address[axis]!]! < 0) {
					this.#series = -1;
					return;
				}
				this.#key[axis] = tree.parent[address[axis]!]!;
			} else this.#key[axis] = rootOf(model.dimensions[axis]!, address[axis]!);
		}
		if (this.#crossesEntities) this.#key[address.length] = this.#currencies.indexOf(model.currencyOf(address[model.entityAxis]!));
		this.#series = this.#sums!.find(this.#key);
	}

	get #crossesEntities(): boolean {
		return this.#reading.model.entityAxis >= 0 && this.#operand.axes.has(this.#reading.model.entityAxis);
	}

	at(leaf: number): number {
		if (this.#series < 0) return EMPTY;
		return this.#sums!.values[this.#series * this.#sums!.width + leaf]!;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		const { model } = this.#reading;
		const weights = weightsUnder(model.accounts, [this.#operand.account]);
		eachAddress(
			this.#reading,
			(account) => weights[account] !== 0,
			(address) => {
				for (const [axis, where] of this.#operand.axes)
					if (
						where.kind === 'member'
							? address[axis] !== where.ordinal
							: (where.kind === 'over' || where.kind === 'of') && weightsOf(model.dimensions[axis]!, where)[address[axis]!] === 0
					)
						return;
				visit(address);
			}
		);
	}

	/** Adds every leaf cell to the totals it belongs to. O(cells of the account). */
	#build(): void {
		if (this.#sums) return;
		const { model } = this.#reading;
		const { account, axes } = this.#operand;
		const leaves = model.periods.leaves.length;
		const sums = (this.#sums = new Block(model.dimensions.length + 1, leaves));
		const accounts = weightsUnder(model.accounts, [account]);
		const single = model.accounts.isLeaf(account);
		const folds = new Map<number, { where: AxisRead; weights: Float64Array | undefined }>(
			[...axes].map(([axis, where]) => [
				axis,
				{ where, weights: where.kind === 'over' || where.kind === 'of' ? weightsOf(model.dimensions[axis]!, where) : undefined }
			])
		);
		const key = new Int32Array(model.dimensions.length + 1);
		const targets = this.#crossesEntities ? this.#currencies : [''];
		const add = (address: Int32Array, leaf: number, value: number, weight: number, axis: number): void => {
			while (axis < address.length) {
				const fold = folds.get(axis);
				const own = address[axis]!;
				if (axis === model.accountAxis) key[axis] = 0;
				else if (!fold) key[axis] = own;
				else if (fold.where.kind === 'member') {
					if (own !== fold.where.ordinal) return;
					key[axis] = 0;
				} else if (fold.weights) {
					if (fold.weights[own] === 0) return;
					weight *= fold.weights[own]!;
					key[axis] = 0;
				} else {
					const { tree } = model.dimensions[axis]!;
					let counted = weight;
					let at = own;
					// To its root, or to each member above it.
					while (tree.parent[at]! >= 0) {
						counted *= tree.weight[at]!;
						at = tree.parent[at]!;
						if (fold.where.kind === 'parent' && counted !== 0) {
							key[axis] = at;
							add(address, leaf, value, counted, axis + 1);
						}
					}
					if (fold.where.kind === 'parent') return;
					if (counted === 0) return;
					weight = counted;
					key[axis] = at;
				}
				axis++;
			}
			targets.forEach((currency, place) => {
				key[address.length] = place;
				const shown = currency === '' ? value : this.#inCurrency(address, leaf, value, currency);
				if (!isEmpty(shown)) this.#add(sums, key, leaf, shown * weight);
			});
		};
		eachCell(
			this.#reading,
			(ordinal) => accounts[ordinal] !== 0 && (single || model.account(ordinal)?.consolidation === 'sum'),
			(address, leaf, value) => add(address, leaf, value, accounts[address[model.accountAxis]!]!, 0)
		);
	}

	#inCurrency(address: Int32Array, leaf: number, value: number, currency: string): number {
		const { model } = this.#reading;
		const facts = model.account(address[model.accountAxis]!);
		if (!facts || !isTranslated(facts)) return value;
		return translated(this.#reading, value, factorsInto(this.#reading, this.#rates, address[model.accountAxis]!, address, currency)[leaf]!);
	}

	#add(sums: Block, key: Int32Array, leaf: number, value: number): void {
		const place = sums.ensure(key) * sums.width + leaf;
		const before = sums.values[place]!;
		sums.values[place] = isEmpty(before) ? value : before + value;
	}
}

/** How leaves count: in a member by their weights, in a selection each once. */
export function weightsOf(dimension: Dimension, where: Extract<AxisRead, { kind: 'of' | 'over' }>): Float64Array {
	return where.kind === 'of' ? weightsUnder(dimension, [where.ordinal]) : onceUnder(dimension, where.ordinals);
}

/** 1 for every leaf beneath some members, however often it lies there. */
function onceUnder(dimension: Dimension, ordinals: readonly number[]): Float64Array {
	const found = new Float64Array(dimension.members.length);
	for (const ordinal of ordinals) for (const leaf of dimension.leavesOf(ordinal)) found[leaf] = 1;
	return found;
}

/** How each member counts in some others: the product of the weights up to them, 0 outside. */
const weightTables = new WeakMap<Dimension, Map<string, Float64Array>>();
export function weightsUnder(dimension: Dimension, ordinals: readonly number[]): Float64Array {
	let tables = weightTables.get(dimension);
	if (!tables) weightTables.set(dimension, (tables = new Map()));
	const key = ordinals.length > 20 ? '' : ordinals.join(' ');
	const known = key === '' ? undefined : tables.get(key);
	if (known) return known;
	const weights = new Float64Array(dimension.members.length);
	for (const top of ordinals) dimension.eachWeightedLeaf(top, (leaf, weight) => (weights[leaf] = weights[leaf]! + weight));
	if (key !== '') tables.set(key, weights);
	return weights;
}

/** The member at the top of the tree that a member lies in. */
export function rootOf({ tree }: Dimension, ordinal: number): number {
	let at = ordinal;
	while (tree.parent[at]! >= 0) at = tree.parent[at]!;
	return at;
}
