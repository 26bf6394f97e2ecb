import type { Address } from '../cell';
import { EMPTY, isEmpty, isValue } from '../number';
import type { Cube } from './cube';
import { CLEARED, Overlay } from './overlay';
import { NOTHING, standing, type Contribution } from './standing';

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

/**
 * What was changed in a branch, by origin, over a cube that goes on moving; a layer of a `Reader`. A changed cell shows
 * what a full copy of the base would show to which the base's changes are done first and the branch's own after them;
 * all else reads through. A cell that moved in the base is to be worked out anew by `refresh`.
 */
export class BranchLayer extends Overlay {
	readonly #cube: Cube;
	/** Counts every change of what is held. */
	changes = 0;
	/** By origin what is held, and with which version it was written. */
	readonly #held = new Map<number, { values: Overlay; versions: Overlay }>();

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
		if (held.length === 0) return base;
		return [
			...base.filter(({ origin }) => !held.some((each) => each.origin === origin)),
			...held
				.filter(({ value }) => value !== TAKEN_AWAY)
				.map(({ origin, value, version }) => ({ origin, value, stamp: AFTER_THE_BASE + version }))
		];
	}

	/** The same for a whole series that has moved in the base: a look-up where the branch holds nothing of it. */
	refreshSeries(address: Address, year: number): void {
		if (![...this.#held.values()].some(({ values }) => values.hasSeries(address, year))) return;
		for (let position = 0; position < this.#cube.model.periods.width; position++) this.refresh(address, year, position);
	}

	/** Works out anew what a cell shows: the base has moved there. Nothing is done where the branch holds nothing. */
	refresh(address: Address, year: number, position: number): void {
		const model = this.#cube.model;
		if (this.heldAt(address, year, position).length === 0) {
			if (isValue(this.get(address, year, position))) this.set(address, year, position, EMPTY);
			return;
		}
		const value = standing(model, address[model.accountAxis]!, this.contributionsAt(address, year, position));
		this.set(address, year, position, isEmpty(value) ? NOTHING : value);
	}
}
