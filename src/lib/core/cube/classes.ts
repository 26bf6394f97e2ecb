import { classesOf, type Dimension } from '../dimension';

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
	/** The class all leaves of the dimension are in: then it need not be looked up. Undefined where they are not. */
	uniform: number | undefined;
	/** One leaf of each class, to look up facts that all of the class share. */
	representative: number[];
	/** The classes that count in each asked member. */
	shares: Map<number, ClassShare[]>;
	/**
	 * How each leaf counts, where only one member is asked: its weight is applied while scanning instead of making a class
	 * of its own. Undefined when every leaf counts once.
	 */
	factor: Float64Array | undefined;
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
	const single = members.length === 1;
	const signatures: string[] = new Array(dimension.members.length).fill('');
	const factor = new Float64Array(dimension.members.length).fill(1);
	members.forEach((member, index) =>
		dimension.eachWeightedLeaf(member, (leaf, weight) => {
			signatures[leaf] += single ? 'in ' : `${index}*${weight};`;
			if (single) factor[leaf] = weight;
		})
	);
	const { classOf, representative } = classesOf(signatures.length, (leaf) =>
		signatures[leaf] === '' ? undefined : `${signatures[leaf]}${factOf(leaf)}`
	);
	const shares = new Map<number, ClassShare[]>(members.map((member) => [member, []]));
	const seen = new Set<number>();
	for (const member of members) {
		seen.clear();
		dimension.eachWeightedLeaf(member, (leaf, weight) => {
			const leafClass = classOf[leaf]!;
			if (seen.has(leafClass)) return;
			seen.add(leafClass);
			shares.get(member)!.push({ class: leafClass, weight: single ? 1 : weight });
		});
	}
	return {
		classOf,
		count: representative.length,
		uniform: classOf.every((leafClass, ordinal) => leafClass === 0 || !dimension.isLeaf(ordinal)) ? 0 : undefined,
		representative,
		shares,
		factor: factor.every((weight) => weight === 1) ? undefined : factor
	};
}
