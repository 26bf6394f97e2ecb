import type { LiveFormula, LiveOperand, Model } from '../model';
import type { Cube } from './cube';
import type { Overlay } from './overlay';
import type { Address, Block } from './series-store';

/** Where a draft has cells, on whatever account: there formulas are to be read through it. */
export class DraftedAddresses {
	readonly #model: Model;
	readonly #found = new Map<string, { address: Int32Array; year: number }>();
	/** By axis: the ordinals met. Most addresses are turned away here, without a key being made. */
	readonly #met: Uint8Array[];

	private constructor(model: Model, overlay: Overlay) {
		this.#model = model;
		this.#met = model.dimensions.map(({ members }) => new Uint8Array(members.length));
		overlay.each((address, year) => {
			const key = this.#keyOf(address, year);
			if (this.#found.has(key)) return;
			this.#found.set(key, { address: address.slice(), year });
			address.forEach((ordinal, axis) => (this.#met[axis]![ordinal] = 1));
		});
	}

	/** Undefined where nothing is drafted. O(draft). */
	static of(model: Model, overlay: Overlay | undefined): DraftedAddresses | undefined {
		return overlay && overlay.size > 0 ? new DraftedAddresses(model, overlay) : undefined;
	}

	/** Whether the draft has a cell where a formula reads for a result at this address, one operand left out where given. */
	meets({ operands }: LiveFormula, address: Int32Array, year: number, without?: LiveOperand): boolean {
		return operands.some((operand) => {
			const { fixed } = operand;
			if (operand === without) return false;
			if (fixed.length === 0) return this.#has(address, year);
			const elsewhere = address.slice();
			for (const { axis, ordinal } of fixed) elsewhere[axis] = ordinal;
			return this.#has(elsewhere, year);
		});
	}

	/** The same for series of a block; most are turned away by their coordinates alone. */
	testerFor(formula: LiveFormula, block: Block, year: number, without?: LiveOperand): (series: number) => boolean {
		const address = new Int32Array(this.#model.dimensions.length);
		const exactly = (series: number) => this.meets(formula, block.readAddress(series, address), year, without);
		if (formula.operands.some((operand) => operand !== without && operand.fixed.length > 0)) return exactly;
		// The rarest axes first: a draft lies in few places of a large dimension.
		const axes = [...this.#met.keys()]
			.filter((axis) => axis !== this.#model.accountAxis)
			.sort((one, other) => rarity(this.#met[one]!) - rarity(this.#met[other]!));
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

	#has(address: Int32Array, year: number): boolean {
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

/** The share of an axis that a draft meets. */
const rarity = (met: Uint8Array): number => met.reduce((sum, each) => sum + each, 0) / Math.max(1, met.length);
