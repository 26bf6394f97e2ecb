import { buildTree, type Tree } from './tree';

export type DimensionKind = 'account' | 'period' | 'scenario' | 'entity' | 'general';

export interface MemberDefinition {
	id: number;
	code: string;
	name: string;
	/** The leaf for numbers the breakdown does not apply to. */
	unassigned: boolean;
	/** Takes no new entries; its history stays. */
	retired?: boolean;
}

export interface NodeDefinition {
	member: number;
	parent: number | null;
	weight: number;
}

export type AttributeValue = string | number | boolean;

/** A property of members, with the values that are filled in. Dates are plain dates, choices and people their codes. */
export interface AttributeDefinition {
	name: string;
	type: 'text' | 'number' | 'yes/no' | 'choice' | 'date' | 'person' | 'currency';
	values: { member: number; value: AttributeValue }[];
}

export interface DimensionDefinition {
	id: number;
	code: string;
	name: string;
	kind: DimensionKind;
	members: MemberDefinition[];
	/** The main hierarchy, siblings in their order. */
	nodes: NodeDefinition[];
	/** Further hierarchies over the same members. */
	alternates?: { name: string; nodes: NodeDefinition[] }[];
	attributes?: AttributeDefinition[];
}

/** A dimension ready for use: members by ordinal, the main tree, alternate trees and attributes. */
export class Dimension {
	readonly id: number;
	readonly code: string;
	readonly name: string;
	readonly kind: DimensionKind;
	readonly members: readonly MemberDefinition[];
	/** The main tree. */
	readonly tree: Tree;
	/** The unassigned leaf's ordinal, −1 when the dimension has none. */
	readonly unassigned: number;
	readonly #alternates: Map<string, Tree>;
	readonly #attributes: Map<string, Map<number, AttributeValue>>;
	readonly #ordinals: Map<number, number>;
	readonly #byCode: Map<string, number>;

	/** @throws Error naming every fault of the hierarchies */
	constructor(definition: DimensionDefinition) {
		this.id = definition.id;
		this.code = definition.code;
		this.name = definition.name;
		this.kind = definition.kind;
		this.members = definition.members;
		this.#ordinals = new Map(definition.members.map((member, ordinal) => [member.id, ordinal]));
		this.#byCode = new Map(definition.members.map((member, ordinal) => [member.code, ordinal]));
		this.tree = this.#build(definition, definition.nodes, undefined);
		this.#alternates = new Map((definition.alternates ?? []).map(({ name, nodes }) => [name, this.#build(definition, nodes, name)]));
		this.unassigned = definition.members.findIndex((member) => member.unassigned);
		this.#attributes = new Map(
			(definition.attributes ?? []).map(({ name, values }) => [
				name,
				new Map(values.map(({ member, value }) => [this.#ordinals.get(member) ?? -1, value]))
			])
		);
		for (const [name, tree] of this.#alternates) this.#refuseSecondPaths(name, tree);
	}

	/** The ordinal of a member id, undefined when the dimension has no such member. */
	ordinal(memberId: number): number | undefined {
		return this.#ordinals.get(memberId);
	}

	/** The ordinal of a member's code. */
	ordinalOfCode(code: string): number | undefined {
		return this.#byCode.get(code);
	}

	member(ordinal: number): MemberDefinition {
		return this.members[ordinal]!;
	}

	/** A hierarchy by name, the main one without; undefined when there is none of that name. */
	hierarchy(name?: string): Tree | undefined {
		return name === undefined ? this.tree : this.#alternates.get(name);
	}

	/** Whether a member stores numbers: it has no children in any hierarchy. */
	isLeaf(ordinal: number): boolean {
		if (!this.tree.isLeaf(ordinal)) return false;
		for (const tree of this.#alternates.values()) if (!tree.isLeaf(ordinal)) return false;
		return true;
	}

	/** The tree in which a member is to be read: the main one, unless it has children in an alternate only. */
	treeOf(ordinal: number): Tree {
		if (!this.tree.isLeaf(ordinal)) return this.tree;
		for (const tree of this.#alternates.values()) if (!tree.isLeaf(ordinal)) return tree;
		return this.tree;
	}

	/**
	 * Calls back with each leaf that counts in a member, and the product of the weights up to it. A group of an alternate
	 * hierarchy may hold parents of the main tree: their leaves count.
	 */
	eachWeightedLeaf(ordinal: number, visit: (leaf: number, weight: number) => void): void {
		const tree = this.treeOf(ordinal);
		tree.eachWeightedLeaf(ordinal, (leaf, weight) => {
			if (tree === this.tree || this.tree.isLeaf(leaf)) visit(leaf, weight);
			else this.tree.eachWeightedLeaf(leaf, (below, inner) => visit(below, weight * inner));
		});
	}

	/** The leaves under a member in the tree in which it is to be read, whatever their weights. */
	leavesOf(ordinal: number): number[] {
		const tree = this.treeOf(ordinal);
		return tree.leaves(ordinal).flatMap((leaf) => (tree === this.tree || this.tree.isLeaf(leaf) ? [leaf] : this.tree.leaves(leaf)));
	}

	/** An attribute's value at a member; undefined where none is filled in. */
	attribute(name: string, ordinal: number): AttributeValue | undefined {
		return this.#attributes.get(name)?.get(ordinal);
	}

	#build(definition: DimensionDefinition, nodes: readonly NodeDefinition[], hierarchy: string | undefined): Tree {
		const built = buildTree(definition.members, nodes);
		if ('tree' in built) return built.tree;
		const where = hierarchy === undefined ? definition.name : `${definition.name}, ${hierarchy}`;
		throw new Error(`Dimension ${where}: ${built.faults.map((fault) => fault.message).join(' ')}`);
	}

	/** A group of an alternate must not reach a leaf twice, once directly and once through a parent of the main tree. */
	#refuseSecondPaths(name: string, tree: Tree): void {
		for (const root of tree.roots()) {
			const reached = new Map<number, number>();
			for (const leaf of tree.leaves(root))
				for (const below of this.tree.isLeaf(leaf) ? [leaf] : this.tree.leaves(leaf)) {
					const first = reached.get(below);
					if (first !== undefined)
						throw new Error(
							`Dimension ${this.name}, ${name}: “${this.member(below).name}” is reached through “${this.member(first).name}” and through “${this.member(leaf).name}”.`
						);
					reached.set(below, leaf);
				}
		}
	}
}
