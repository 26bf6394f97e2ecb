import { eachCell, type Cube, type Model } from '../../../core';
import type { ModelEngine } from '../model-engine';
import { EngineFault } from '../fault';

/** A slice by dimension (id): members (ids), all where none are named. */
export interface LeafCellsAsk {
	revision: number;
	structure: number;
	slice: Readonly<Record<string, readonly number[]>>;
}

/** Members (ids) by dimension, leaf periods and amounts, cell by cell. */
export interface LeafCellsAnswer {
	members: Int32Array[];
	periods: Int32Array;
	amounts: Float64Array;
}

/** Cells that cross to the server at once. */
const MOST_CELLS = 3_000_000;

/**
 * Every leaf cell of a slice with its amount, stored or computed by a live formula, sorted by address and period so that
 * the same cells come in the same order.
 * @throws EngineFault when there are more than can cross at once
 */
function leafCellsOf(model: Model, cube: Cube, slice: Readonly<Record<string, readonly number[]>>): LeafCellsAnswer {
	const allowed = model.dimensions.map((dimension) => {
		const wanted = slice[dimension.id];
		if (!wanted || wanted.length === 0) return undefined;
		const found = new Uint8Array(dimension.members.length);
		for (const member of wanted) {
			const ordinal = dimension.ordinal(member);
			if (ordinal !== undefined) for (const leaf of dimension.leavesOf(ordinal)) found[leaf] = 1;
		}
		return found;
	});
	const periods = new Uint8Array(model.periods.leaves.length);
	const asked = slice[model.periods.dimension.id] ?? [];
	if (asked.length === 0) periods.fill(1);
	for (const member of asked) {
		const ordinal = model.periods.dimension.ordinal(member);
		if (ordinal === undefined) continue;
		const { from, to } = model.periods.range(ordinal);
		if (to >= from) periods.fill(1, from, to + 1);
	}
	const found: { address: Int32Array; leaf: number; value: number }[] = [];
	const accounts = allowed[model.accountAxis];
	eachCell(
		{ model, cube },
		(account) => (!accounts || accounts[account] === 1) && !model.formula(account),
		(address, leaf, value) => {
			if (periods[leaf] === 0) return;
			for (let axis = 0; axis < allowed.length; axis++) if (allowed[axis]?.[address[axis]!] === 0) return;
			if (found.length === MOST_CELLS)
				throw new EngineFault(`There are more than ${MOST_CELLS.toLocaleString('en')} amounts in this slice. Take a smaller one.`);
			found.push({ address: address.slice(), leaf, value });
		}
	);
	found.sort((one, other) => {
		for (let axis = 0; axis < one.address.length; axis++) {
			const difference = one.address[axis]! - other.address[axis]!;
			if (difference !== 0) return difference;
		}
		return one.leaf - other.leaf;
	});
	return {
		members: model.dimensions.map((dimension, axis) => Int32Array.from(found, ({ address }) => dimension.member(address[axis]!).id)),
		periods: Int32Array.from(found, ({ leaf }) => leaf),
		amounts: Float64Array.from(found, ({ value }) => value)
	};
}

/** Every leaf cell of a slice with its amount, stored or computed by a live formula. */
export async function leafCells(engine: ModelEngine, { revision, slice }: LeafCellsAsk): Promise<LeafCellsAnswer> {
	await engine.reach(revision);
	return leafCellsOf(engine.model, engine.cube, slice);
}
