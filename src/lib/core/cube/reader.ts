import type { ReadGuard } from '../access';
import type { Address } from '../cell';
import type { LiveFormula, LiveOperand, Model, RatesInstead } from '../model';
import { EMPTY, isEmpty } from '../number';
import type { Cube } from './cube';
import { CLEARED, type ChangedWhere, type Overlay } from './overlay';
import type { Block } from './series-store';
import { NOTHING, withoutEntry, type Contribution } from './standing';

/** Reads the stored value of a leaf cell. */
export type StoredReader = (address: Address, year: number, position: number) => number;

/**
 * What somebody reads: the stored cells of a cube, seen through layers of changed cells (drafts, what is tried on them),
 * as far as they may see, at the rates a layer names. Everything that shows, adds up or follows figures goes through one of these.
 *
 * A layer holds what a cell shall *show*, so the topmost one that has something at a cell decides, and the others are not
 * asked. Single cells are read without regard to what may be seen, as results of leaves are worked out from everything;
 * whether a leaf counts in what is shown is `mayRead`, and the walks over leaves (`eachChanged`, `eachLiveCell`,
 * `leafCells`, views) leave out the others.
 */
export class Reader {
	readonly cube: Cube;
	/** The lowest first. */
	readonly layers: readonly Overlay[];
	/** What may be seen, where that is not everything. */
	readonly visible: ReadGuard | undefined;
	/** The value of a leaf cell through the layers; empty is NaN. O(layers), bound. */
	readonly read: StoredReader;

	/** The cube's model, or another one of the same addresses that the cells are read by. */
	readonly model: Model;

	/** Whether the rates layers name are left aside. */
	#atOwnRates = false;

	constructor(cube: Cube, layers: readonly Overlay[] = [], visible?: ReadGuard, model = cube.model) {
		this.cube = cube;
		this.model = model;
		this.layers = layers;
		this.visible = visible;
		this.read =
			layers.length === 0
				? (address, year, position) => cube.read(address, year, position)
				: (address, year, position) => {
						const held = this.changed(address, year, position);
						if (isEmpty(held)) return cube.read(address, year, position);
						if (held === NOTHING) return EMPTY;
						return held === CLEARED ? this.withoutEntry(address, year, position) : held;
					};
	}

	/** The same with one more layer on top. */
	over(layer: Overlay): Reader {
		return new Reader(this.cube, [...this.layers, layer], this.visible, this.model);
	}

	/** The same as one who may see everything. */
	get whole(): Reader {
		return this.visible ? new Reader(this.cube, this.layers, undefined, this.model) : this;
	}

	/** The same at the rates the scenarios name, whatever a layer says. */
	atOwnRates(): Reader {
		const reader = new Reader(this.cube, this.layers, this.visible, this.model);
		reader.#atOwnRates = true;
		return reader;
	}

	/** The rates amounts are read at where a scenario names others: those of the topmost layer that says so. */
	get ratesInstead(): RatesInstead | undefined {
		return this.#atOwnRates ? undefined : this.layers.findLast(({ ratesInstead }) => ratesInstead !== undefined)?.ratesInstead;
	}

	/** Whether a leaf counts in what is shown. */
	mayRead(address: Address): boolean {
		return this.visible === undefined || this.visible.mayRead(address);
	}

	/** What the topmost layer with something at a cell holds there: a value, `CLEARED` or `NOTHING`; empty where none has. */
	changed(address: Address, year: number, position: number): number {
		for (let layer = this.layers.length - 1; layer >= 0; layer--) {
			const held = this.layers[layer]!.get(address, year, position);
			if (!isEmpty(held)) return held;
		}
		return EMPTY;
	}

	/** The same as `read` of a cell whose series has been found: no look-up where nothing is changed. */
	readAt(block: Block, series: number, address: Address, year: number, position: number): number {
		if (this.layers.length > 0 && !isEmpty(this.changed(address, year, position))) return this.read(address, year, position);
		return block.values[series * block.width + position]!;
	}

	/** What each origin has at a cell, by the topmost layer that knows origins and else by the cube. */
	contributions(address: Address, year: number, position: number): Contribution[] {
		for (let layer = this.layers.length - 1; layer >= 0; layer--) {
			const found = this.layers[layer]!.contributionsAt(address, year, position);
			if (found) return found;
		}
		return this.cube.contributions(address, year, position);
	}

	/** What a cell holds apart from its entry: loads, results and additions. */
	withoutEntry(address: Address, year: number, position: number): number {
		return withoutEntry(this.model, this, address, year, position);
	}

	/**
	 * Calls back once with every changed cell that may be seen, and what it shows. The address is reused.
	 * O(cells of the layers in the blocks met).
	 */
	eachChanged(visit: (address: Int32Array, year: number, position: number, value: number) => void, where: ChangedWhere = {}): void {
		this.layers.forEach((layer, at) => {
			const above = this.layers.slice(at + 1).filter(({ size }) => size > 0);
			layer.each((address, year, position, value) => {
				if (!this.mayRead(address) || above.some((other) => !isEmpty(other.get(address, year, position)))) return;
				visit(address, year, position, value === NOTHING ? EMPTY : value === CLEARED ? this.withoutEntry(address, year, position) : value);
			}, where);
		});
	}

	/** Where there are changed cells; undefined where there are none. */
	get changedAddresses(): ChangedAddresses | undefined {
		const found = this.layers.filter(({ size }) => size > 0).map(({ drafted }) => drafted);
		return found.length < 2 ? found[0] : new AddressesOfSeveral(found);
	}
}

/** The addresses at which formulas are to be read through the layers. */
export interface ChangedAddresses {
	/** Whether series of a block have changed cells where a formula reads, one operand left out where given. */
	testerFor(formula: LiveFormula, block: Block, year: number, without?: LiveOperand): (series: number) => boolean;
	/** Calls back with the changed addresses, on the formula's account, at which none of its drivers has a stored series. */
	eachWithoutSeries(cube: Cube, formula: LiveFormula, visit: (target: Int32Array, year: number) => void): void;
	/** Whether an address has a changed cell in a year, on whatever account. */
	has(address: Address, year: number): boolean;
}

class AddressesOfSeveral implements ChangedAddresses {
	readonly #layers: readonly ChangedAddresses[];

	constructor(layers: readonly ChangedAddresses[]) {
		this.#layers = layers;
	}

	testerFor(formula: LiveFormula, block: Block, year: number, without?: LiveOperand): (series: number) => boolean {
		const testers = this.#layers.map((layer) => layer.testerFor(formula, block, year, without));
		return (series) => testers.some((tests) => tests(series));
	}

	eachWithoutSeries(cube: Cube, formula: LiveFormula, visit: (target: Int32Array, year: number) => void): void {
		this.#layers.forEach((layer, at) =>
			layer.eachWithoutSeries(cube, formula, (target, year) => {
				if (!this.#layers.slice(0, at).some((other) => other.has(target, year))) visit(target, year);
			})
		);
	}

	has(address: Address, year: number): boolean {
		return this.#layers.some((layer) => layer.has(address, year));
	}
}
