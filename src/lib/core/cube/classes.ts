import type { Dimension } from '../dimension';

/** A class of leaves and how it counts in a member. */
export interface ClassShare {
	class: number;
	weight: number;
}

/** The leaves of a dimension sorted into classes for one query. */
export interface LeafClasses {
	/** Class of each ordinal, −1 for those the query does not need. */
	classOf: Int32Array;
	count: number;
	/** One leaf of each class, to look up facts that all of the class share. */
	representative: number[];
	/** The classes that count in each asked member. */
	shares: Map<number, ClassShare[]>;
}

/**
 * Sorts the leaves under the asked members into classes: leaves that count in the same members with the same weights,
 * and share the same fact, are one class. There are about as many classes as asked members, however many leaves.
 * @param members ordinals of the asked members, each once
 * @param factOf a further distinction between leaves (a currency, a time behaviour); leaves of one class share it
 */
export function classifyLeaves(
	dimension: Dimension,
	members: readonly number[],
	factOf: (leaf: number) => string | number = () => ''
): LeafClasses {
	const signatures: string[] = new Array(dimension.members.length).fill('');
	members.forEach((member, index) =>
		dimension.tree.eachWeightedLeaf(member, (leaf, weight) => (signatures[leaf] += `${index}*${weight};`))
	);
	const classOf = new Int32Array(dimension.members.length).fill(-1);
	const representative: number[] = [];
	const bySignature = new Map<string, number>();
	for (let leaf = 0; leaf < signatures.length; leaf++) {
		if (signatures[leaf] === '') continue;
		const signature = `${signatures[leaf]}${factOf(leaf)}`;
		let found = bySignature.get(signature);
		if (found === undefined) {
			bySignature.set(signature, (found = representative.length));
			representative.push(leaf);
		}
		classOf[leaf] = found;
	}
	const shares = new Map<number, ClassShare[]>(members.map((member) => [member, []]));
	const seen = new Set<number>();
	for (const member of members) {
		seen.clear();
		dimension.tree.eachWeightedLeaf(member, (leaf, weight) => {
			const leafClass = classOf[leaf]!;
			if (seen.has(leafClass)) return;
			seen.add(leafClass);
			shares.get(member)!.push({ class: leafClass, weight });
		});
	}
	return { classOf, count: representative.length, representative, shares };
}
