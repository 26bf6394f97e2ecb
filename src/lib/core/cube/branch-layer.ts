import type { Address } from '../cell';
import { leafOfPlace, type Model } from '../model';
import { EMPTY, isEmpty, isSame, isValue } from '../number';
import type { Cube } from './cube';
import { CLEARED, Overlay } from './overlay';
import { modeOf, NOTHING, standing, type Contribution } from './standing';
import type { WorkCube } from './work-cube';

/** Held by a branch for an origin: what the base has of that origin at the cell is taken away here. */
export const TAKEN_AWAY = CLEARED;

/** What is written in a branch is newer than all of its base: its stamps follow every revision there can be. */
const AFTER_THE_BASE = 2 ** 52;

/** What a branch holds of an origin at a cell. */
export interface HeldCell {
	origin: number;
	/** A value, `NOTHING`, or `TAKEN_AWAY`. */
	value: number;
	/** The version of the branch it was written with. */
	version: number;
}

/** Origins of results that are a branch’s own: by origin the leaf periods in which they are; undefined for all. */
export type OwnResults = ReadonlyMap<number, Uint8Array | undefined>;

/**
 * What a load replaced in a branch: of the base’s, nothing of its origin reads through there, now or later. By axis the
 * leaves (1) it is about, undefined for all; and the leaf periods.
 */
export interface OwnExtent {
	origin: number;
	covers: readonly (Uint8Array | undefined)[];
	periods: Uint8Array;
	/** Whether it is about what stands for all time too. */
	timeless: boolean;
}

/**
 * What was changed in a branch, by origin, over a cube that goes on moving; a layer of a `Reader`. A changed cell shows
 * what a full copy of the base would show to which the base's changes are done first and the branch's own after them;
 * all else reads through. A cell that moved in the base is to be worked out anew by `refresh`.
 *
 * Results of a step that ran in the branch are its **own**, and so is what a load in it replaced: of the base’s nothing reads
 * through there, now or later.
 */
export class BranchLayer extends Overlay {
	readonly #cube: Cube;
	/** Counts every change of what is held. */
	changes = 0;
	/** By origin what is held, and with which version it was written. */
	readonly #held = new Map<number, { values: Overlay; versions: Overlay }>();
	#own: OwnResults = new Map();
	#extents: readonly OwnExtent[] = [];
	/** The origins of which something is the branch’s own. */
	#owned: ReadonlySet<number> = new Set();

	constructor(cube: Cube) {
		super(cube.model);
		this.#cube = cube;
	}

	/** Changes what the branch holds of an origin at a cell; empty puts it back as it is in the base. */
	hold(origin: number, address: Address, year: number, position: number, value: number, version: number): void {
		let held = this.#held.get(origin);
		if (!held) {
			const model = this.#cube.model;
			this.#held.set(origin, (held = { values: new Overlay(model), versions: new Overlay(model) }));
		}
		held.values.set(address, year, position, value);
		held.versions.set(address, year, position, isEmpty(value) ? EMPTY : version);
		this.changes++;
		this.refresh(address, year, position);
	}

	/** The origins whose results are the branch’s own. */
	get own(): OwnResults {
		return this.#own;
	}

	/** Says anew which results, and which extents of loads, are the branch’s own. O(series of the cube). */
	setOwn(own: OwnResults, extents: readonly OwnExtent[] = []): void {
		const owned = new Set([...own.keys(), ...extents.map(({ origin }) => origin)]);
		const origins = new Set([...this.#owned, ...owned]);
		this.#own = own;
		this.#extents = extents;
		this.#owned = owned;
		this.changes++;
		const address = new Int32Array(this.#cube.model.dimensions.length);
		for (const { block, series, year } of this.#cube.seriesOfOrigins(origins)) {
			block.readAddress(series, address);
			for (let position = 0; position < block.width; position++) this.refresh(address, year, position);
		}
	}

	/** Whether what an origin has at a cell is the branch’s own. */
	isOwn(origin: number, address: Address, year: number, position: number): boolean {
		if (!this.#owned.has(origin)) return false;
		const { model } = this.#cube;
		if (this.#own.has(origin))
			return isIn(this.#own.get(origin), (passes) => leafOfPlace(model, address[model.accountAxis]!, year, position, passes), year);
		return this.#extents.some((extent) => extent.origin === origin && isWithin(model, extent, address, year, position));
	}

	/**
	 * Writes what the branch holds into its cube, as it stands in a full copy. `work.restore` takes it off again; until then
	 * this layer must not be read.
	 */
	layOn(work: WorkCube): void {
		const address = new Int32Array(this.#cube.model.dimensions.length);
		const values = new Float64Array(this.#cube.store.width);
		for (const { origin, block, series, year } of this.#cube.seriesOfOrigins(this.#owned)) {
			block.readAddress(series, address);
			this.#cube.heldAt(block, series, origin, values);
			for (let position = 0; position < block.width; position++)
				if (isValue(values[position]!) && this.isOwn(origin, address, year, position)) work.lay(origin, address, year, position, EMPTY, 0);
		}
		for (const [origin, held] of this.#held)
			held.values.each((at, year, position, value) => {
				if (value === TAKEN_AWAY) work.lay(origin, at, year, position, EMPTY, 0);
				else work.lay(origin, at, year, position, value, AFTER_THE_BASE + held.versions.get(at, year, position));
			});
	}

	/** Calls back with every cell that is held of the origins asked for. The address is reused. O(cells held). */
	eachHeld(
		isAsked: (origin: number) => boolean,
		visit: (origin: number, address: Int32Array, year: number, position: number, value: number, version: number) => void
	): void {
		for (const [origin, { values, versions }] of this.#held)
			if (isAsked(origin))
				values.each((address, year, position, value) =>
					visit(origin, address, year, position, value, versions.get(address, year, position))
				);
	}

	/** What is held at a cell. */
	heldAt(address: Address, year: number, position: number): HeldCell[] {
		const found: HeldCell[] = [];
		for (const [origin, { values, versions }] of this.#held) {
			const value = values.get(address, year, position);
			if (isValue(value)) found.push({ origin, value, version: versions.get(address, year, position) });
		}
		return found;
	}

	/** What each origin has at a cell, the branch’s in the place of the base’s. */
	override contributionsAt(address: Address, year: number, position: number): Contribution[] {
		const held = this.heldAt(address, year, position);
		const base = this.#cube.contributions(address, year, position);
		if (held.length === 0 && this.#owned.size === 0) return base;
		return [
			...base.filter(({ origin }) => !held.some((each) => each.origin === origin) && !this.isOwn(origin, address, year, position)),
			...held
				.filter(({ value }) => value !== TAKEN_AWAY)
				.map(({ origin, value, version }) => ({ origin, value, stamp: AFTER_THE_BASE + version }))
		];
	}

	/** The same for a whole series that has moved in the base: a look-up where the branch holds nothing of it. */
	refreshSeries(address: Address, year: number): void {
		if (this.#owned.size === 0 && ![...this.#held.values()].some(({ values }) => values.hasSeries(address, year))) return;
		for (let position = 0; position < this.#cube.model.periods.width; position++) this.refresh(address, year, position);
	}

	/** Works out anew what a cell shows: the base has moved there. Nothing is done where the branch says nothing of it. */
	refresh(address: Address, year: number, position: number): void {
		const model = this.#cube.model;
		const held = this.heldAt(address, year, position);
		if (held.length === 0 && !this.#hidesResult(address, year, position)) {
			if (isValue(this.get(address, year, position))) this.set(address, year, position, EMPTY);
			return;
		}
		const value = standing(model, address[model.accountAxis]!, this.contributionsAt(address, year, position));
		// Results that come to what the base shows are no change of it; what was typed is one, whatever it says.
		const isAsBase =
			isSame(value, this.#cube.read(address, year, position)) && !held.some(({ origin }) => modeOf(model, origin) === 'entry');
		this.set(address, year, position, isAsBase ? EMPTY : isEmpty(value) ? NOTHING : value);
	}

	/** Whether the base has results at a cell that do not read through. */
	#hidesResult(address: Address, year: number, position: number): boolean {
		if (this.#owned.size === 0) return false;
		return this.#cube.contributions(address, year, position).some(({ origin }) => this.isOwn(origin, address, year, position));
	}
}

/** Whether a cell lies in an extent: what a load empties there, place by place of the year. */
export function isWithin(
	model: Model,
	{ covers, periods, timeless }: Omit<OwnExtent, 'origin'>,
	address: Address,
	year: number,
	position: number
): boolean {
	for (let axis = 0; axis < covers.length; axis++) if (covers[axis]?.[address[axis]!] === 0) return false;
	if (year === 0) return timeless && position === 0;
	const leaf = model.periods.at(year, position);
	return leaf !== undefined && periods[leaf.index] === 1;
}

/** Whether a cell lies in some leaf periods. What stands for all time lies in every one. */
export function isIn(
	periods: Uint8Array | undefined,
	leafOf: (passes: (leaf: number) => boolean) => number | undefined,
	year: number
): boolean {
	if (!periods) return true;
	if (year === 0) return periods.includes(1);
	const leaf = leafOf((each) => periods[each] !== 0);
	return leaf !== undefined && periods[leaf] !== 0;
}
