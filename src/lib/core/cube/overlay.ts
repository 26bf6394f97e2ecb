import type { Model, RatesInstead } from '../model';
import { EMPTY, isValue } from '../number';
import { DraftedAddresses } from './drafted-addresses';
import type { Address, CellPlace } from '../cell';
import type { Contribution } from './standing';
import { SeriesStore } from './series-store';

/** In an overlay: the entry at this cell is taken away, so that what it set aside shows again. */
export const CLEARED = Number.NEGATIVE_INFINITY;

/** A changed cell of an overlay. */
export interface OverlayCell extends CellPlace {
	/** What it shall show, `CLEARED` or `NOTHING`. */
	value: number;
}

/** Which changed cells are asked for: those of a scenario, a fiscal year, an account (ordinals); all where nothing is said. */
export interface ChangedWhere {
	scenario?: number;
	year?: number;
	account?: number;
	/** Of several fiscal years. */
	years?: readonly number[];
	/** By axis a number for each member: negative for those that are not asked for. */
	within?: readonly ArrayLike<number>[];
}

/**
 * Changed cells over a cube: a draft, or what is tried on it; a layer of a `Reader`. Holds the value each changed cell shall show, `CLEARED`, or `NOTHING` where nothing shall show; all else reads through.
 * The cube itself stays as it is.
 */
export class Overlay {
	readonly #model: Model;
	readonly #store: SeriesStore;
	#size = 0;
	/** The rates amounts are read at through this layer, where it says so. */
	ratesInstead: RatesInstead | undefined;
	/** Made when it is first asked for: not every overlay is looked through by formulas. */
	#drafted: DraftedAddresses | undefined;

	constructor(model: Model) {
		this.#model = model;
		this.#store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	}

	/** How many cells are changed. */
	get size(): number {
		return this.#size;
	}

	/** The value held here, `CLEARED`, or empty when this cell is not changed. */
	get(address: Address, year: number, position: number): number {
		const block = this.#store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		return series < 0 ? EMPTY : block!.values[series * block!.width + position]!;
	}

	/** Whether any cell of a series is, or was, changed. */
	hasSeries(address: Address, year: number): boolean {
		return (this.#store.blockOf(address, year)?.find(address) ?? -1) >= 0;
	}

	/** What each origin has at a cell, where a layer knows: drafts do not, branches do. */
	contributionsAt(_address: Address, _year: number, _position: number): Contribution[] | undefined {
		return undefined;
	}

	/** Changes a cell; empty takes the change back. */
	set(address: Address, year: number, position: number, value: number): void {
		const block = this.#store.ensureBlockOf(address, year);
		const place = block.ensure(address) * block.width + position;
		const more = (isValue(value) ? 1 : 0) - (isValue(block.values[place]!) ? 1 : 0);
		this.#size += more;
		if (more !== 0) this.#drafted?.count(address, year, more as 1 | -1);
		block.values[place] = value;
	}

	/** Where there are changed cells, on whatever account. */
	get drafted(): DraftedAddresses {
		if (!this.#drafted) {
			const drafted = (this.#drafted = new DraftedAddresses(this.#model));
			this.each((address, year) => drafted.count(address, year, 1));
		}
		return this.#drafted;
	}

	/** The changed cells, each with an address of its own. */
	list(): OverlayCell[] {
		const cells: OverlayCell[] = [];
		this.each((address, year, position, value) => cells.push({ address: address.slice(), year, position, value }));
		return cells;
	}

	/** Takes back the changes that a test picks; all of them without one. @returns how many */
	reset(picks: (cell: OverlayCell) => boolean = () => true): number {
		const picked = this.list().filter(picks);
		for (const { address, year, position } of picked) this.set(address, year, position, EMPTY);
		return picked.length;
	}

	/** Another overlay with the same changes; later changes of one do not touch the other. */
	copy(): Overlay {
		const copied = new Overlay(this.#model);
		this.each((address, year, position, value) => copied.set(address, year, position, value));
		return copied;
	}

	/**
	 * Calls back with every changed cell, or those asked for. The address is reused between calls.
	 * O(series of the blocks met).
	 */
	each(
		visit: (address: Int32Array, year: number, position: number, value: number) => void,
		{ scenario, year, account, years, within }: ChangedWhere = {}
	): void {
		if (this.#size === 0) return;
		const address = new Int32Array(this.#store.dimensions);
		for (const { scenario: ofScenario, year: ofYear, block } of this.#store.blocks()) {
			if ((scenario !== undefined && ofScenario !== scenario) || (year !== undefined && ofYear !== year)) continue;
			if (years && !years.includes(ofYear)) continue;
			const accounts = block.coordinates[this.#model.accountAxis]!;
			choosing: for (let series = 0; series < block.count; series++) {
				if (account !== undefined && accounts[series] !== account) continue;
				// Most of a large branch is somewhere else: turned away before anything is looked up.
				if (within)
					for (let axis = 0; axis < within.length; axis++) if (within[axis]![block.coordinates[axis]![series]!]! < 0) continue choosing;
				for (let position = 0; position < block.width; position++) {
					const value = block.values[series * block.width + position]!;
					if (isValue(value)) visit(block.readAddress(series, address), ofYear, position, value);
				}
			}
		}
	}
}
