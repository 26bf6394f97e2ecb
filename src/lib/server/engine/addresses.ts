import type { Address, LeafPeriod, Model } from '../../core';

/** Member ids of an address as ordinals, undefined when the model lacks one of them. */
export function toOrdinals(model: Model, members: ArrayLike<number>): Int32Array | undefined {
	const address = new Int32Array(model.dimensions.length);
	for (let axis = 0; axis < address.length; axis++) {
		const ordinal = model.dimensions[axis]!.ordinal(members[axis]!);
		if (ordinal === undefined) return undefined;
		address[axis] = ordinal;
	}
	return address;
}

/** Ordinals of an address as member ids. */
export const toMembers = (model: Model, address: Address): number[] =>
	model.dimensions.map((dimension, axis) => dimension.member(address[axis]!).id);

/** Whether an account holds one value for all time: it is kept at year 0, and travels under the first period of the calendar. */
const isTimeless = (model: Model, address: Address): boolean => model.account(address[model.accountAxis]!)?.frequency === 'timeless';

/** Where the value of a cell is kept: by the leaf period of a member id; a value for all time at year 0. */
export function leafOfMember(model: Model, address: Address, member: number): Pick<LeafPeriod, 'fiscalYear' | 'position'> | undefined {
	const ordinal = model.periods.dimension.ordinal(member);
	if (ordinal === undefined) return undefined;
	return isTimeless(model, address) ? { fiscalYear: 0, position: 0 } : model.periods.leaf(model.periods.range(ordinal).from);
}

/** The leaf period by which the rights on a cell are judged: for a value of all time the first one its scenario takes entries in. */
export function judgedPeriod(model: Model, address: Address, year: number, position: number): number {
	const found = model.periods.at(year, position);
	return found ? found.index : Math.max(0, model.scenario(address[model.scenarioAxis]!)?.entry.from ?? 0);
}

/** The member id of a leaf period by year and position. */
export const periodMember = (model: Model, year: number, position: number): number =>
	model.periods.dimension.member((model.periods.at(year, position) ?? model.periods.leaf(0)).ordinal).id;

/** A cell in words: "Foot passengers · Aug 2027 · Skerry Line · …". */
export function cellInWords(model: Model, address: Address, year: number, position: number): string {
	const names = model.dimensions.map((dimension, axis) => dimension.member(address[axis]!).name);
	const leaf = model.periods.at(year, position);
	const period = leaf ? model.periods.dimension.member(leaf.ordinal).name : 'for all time';
	return [names[model.accountAxis], period, ...names.filter((_, axis) => axis !== model.accountAxis)].join(' · ');
}

/** Leaf periods of the calendar that are among some members (ids): 1 by the index of each. */
export function leavesOfMembers(model: Model, members: readonly number[]): Uint8Array {
	const named = new Set(members);
	return Uint8Array.from(model.periods.leaves, ({ ordinal }) => (named.has(model.periods.dimension.member(ordinal).id) ? 1 : 0));
}

/** The member ids of leaf periods, given as by `leavesOfMembers`. */
export const membersOfLeaves = (model: Model, leaves: Uint8Array): number[] =>
	model.periods.leaves.flatMap(({ ordinal, index }) => (leaves[index] ? [model.periods.dimension.member(ordinal).id] : []));
