import type { LiveFormula, LiveOperand, Model } from '../model';
import type { Cube } from './cube';
import type { Address } from '../cell';
import type { Block } from './series-store';

/**
 * Where a draft has cells, on whatever account: there formulas are to be read through it. Kept by the draft itself and
 * changed with each of its cells, so that asking costs nothing however large the draft is.
 */
export class DraftedAddresses {
	readonly #model: Model;
	/** How many changed cells each address has in a year. */
	readonly #found = new Map<string, { address: Int32Array; year: number; cells: number }>();
	/** By axis: how many of the addresses have an ordinal. Most addresses are turned away here, without a key being made. */
	readonly #met: Uint32Array[];
	/** By axis: how many ordinals are met. */
	readonly #distinct: Uint32Array;

	constructor(model: Model) {
		this.#model = model;
		this.#met = model.dimensions.map(({ members }) => new Uint32Array(members.length));
		this.#distinct = new Uint32Array(model.dimensions.length);
	}

	/** A cell became changed, or is so no more. O(axes). */
	count(address: Address, year: number, by: 1 | -1): void {
		const key = this.#keyOf(address, year);
		let entry = this.#found.get(key);
		if (!entry) this.#found.set(key, (entry = { address: Int32Array.from(address), year, cells: 0 }));
		const before = entry.cells;
		entry.cells += by;
		if (entry.cells === 0) this.#found.delete(key);
		if (before > 0 && entry.cells > 0) return;
		for (let axis = 0; axis < address.length; axis++) {
			if (axis === this.#model.accountAxis) continue;
			const met = this.#met[axis]!;
			const ordinal = address[axis]!;
			met[ordinal] = met[ordinal]! + by;
			if (met[ordinal] === (by > 0 ? 1 : 0)) this.#distinct[axis] = this.#distinct[axis]! + by;
		}
	}

	/** Whether the draft has a cell where a formula reads for a result at this address, one operand left out where given. */
	meets({ operands }: LiveFormula, address: Int32Array, year: number, without?: LiveOperand): boolean {
		return operands.some((operand) => {
			const { fixed } = operand;
			if (operand === without) return false;
			if (fixed.length === 0) return this.has(address, year);
			const elsewhere = address.slice();
			for (const { axis, ordinal } of fixed) elsewhere[axis] = ordinal;
			return this.has(elsewhere, year);
		});
	}

	/** The addresses, on any account, with their year; and per axis how many ordinals are met. For tests. */
	state(): { addresses: string[]; distinct: number[] } {
		return { addresses: [...this.#found.keys()].sort(), distinct: [...this.#distinct] };
	}

	/** The same for series of a block; most are turned away by their coordinates alone. */
	testerFor(formula: LiveFormula, block: Block, year: number, without?: LiveOperand): (series: number) => boolean {
		const address = new Int32Array(this.#model.dimensions.length);
		const exactly = (series: number) => this.meets(formula, block.readAddress(series, address), year, without);
		if (formula.operands.some((operand) => operand !== without && operand.fixed.length > 0)) return exactly;
		// The rarest axes first: a draft lies in few places of a large dimension.
		const axes = [...this.#met.keys()]
			.filter((axis) => axis !== this.#model.accountAxis)
			.sort((one, other) => this.#rarity(one) - this.#rarity(other));
		const met = axes.map((axis) => this.#met[axis]!);
		const columns = axes.map((axis) => block.coordinates[axis]!);
		return (series) => {
			for (let place = 0; place < met.length; place++) if (met[place]![columns[place]![series]!] === 0) return false;
			return exactly(series);
		};
	}

	/** Calls back with the drafted addresses, on the formula's account, at which none of its drivers has a stored series. */
	eachWithoutSeries(cube: Cube, { account, drivers }: LiveFormula, visit: (target: Int32Array, year: number) => void): void {
		const { accountAxis, scenarioAxis } = this.#model;
		for (const { address, year } of this.#found.values()) {
			const block = cube.store.block(address[scenarioAxis]!, year);
			if (!drivers.some((driver) => block !== undefined && block.find(address.with(accountAxis, driver)) >= 0))
				visit(address.with(accountAxis, account), year);
		}
	}

	/** The share of an axis that a draft meets. */
	#rarity(axis: number): number {
		return this.#distinct[axis]! / Math.max(1, this.#met[axis]!.length);
	}

	/** Whether an address has a changed cell in a year, on whatever account. */
	has(address: Address, year: number): boolean {
		for (let axis = 0; axis < address.length; axis++)
			if (axis !== this.#model.accountAxis && !this.#met[axis]![address[axis]!]) return false;
		return this.#found.has(this.#keyOf(address, year));
	}

	/** The address without its account. */
	#keyOf(address: Address, year: number): string {
		let key = String(year);
		for (let axis = 0; axis < address.length; axis++) if (axis !== this.#model.accountAxis) key += `,${address[axis]}`;
		return key;
	}
}
