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

/** The leaf period of a member id. */
export function leafOfMember(model: Model, member: number): LeafPeriod | undefined {
	const ordinal = model.periods.dimension.ordinal(member);
	return ordinal === undefined ? undefined : model.periods.leaf(model.periods.range(ordinal).from);
}

/** The member id of a leaf period by year and position. */
export const periodMember = (model: Model, year: number, position: number): number =>
	model.periods.dimension.member(model.periods.at(year, position)!.ordinal).id;

/** A cell in words: "Foot passengers · Aug 2027 · Skerry Line · …". */
export function cellInWords(model: Model, address: Address, year: number, position: number): string {
	const names = model.dimensions.map((dimension, axis) => dimension.member(address[axis]!).name);
	const period = model.periods.dimension.member(model.periods.at(year, position)!.ordinal).name;
	return [names[model.accountAxis], period, ...names.filter((_, axis) => axis !== model.accountAxis)].join(' · ');
}
