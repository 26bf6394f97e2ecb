import { buildTree, type Tree } from './tree';

export type DimensionKind = 'account' | 'period' | 'scenario' | 'entity' | 'general';

export interface MemberDefinition {
	id: number;
	code: string;
	name: string;
	/** The leaf for numbers the breakdown does not apply to. */
	unassigned: boolean;
}

export interface NodeDefinition {
	member: number;
	parent: number | null;
	weight: number;
}

export interface DimensionDefinition {
	id: number;
	code: string;
	name: string;
	kind: DimensionKind;
	members: MemberDefinition[];
	/** The main hierarchy, siblings in their order. */
	nodes: NodeDefinition[];
}

/** A dimension ready for use: members by ordinal, and the main tree. */
export class Dimension {
	readonly id: number;
	readonly code: string;
	readonly name: string;
	readonly kind: DimensionKind;
	readonly members: readonly MemberDefinition[];
	readonly tree: Tree;
	/** The unassigned leaf's ordinal, −1 when the dimension has none. */
	readonly unassigned: number;
	readonly #ordinals: Map<number, number>;
	readonly #byCode: Map<string, number>;

	/** @throws Error naming every fault of the hierarchy */
	constructor(definition: DimensionDefinition) {
		const built = buildTree(definition.members, definition.nodes);
		if ('faults' in built) throw new Error(`Dimension ${definition.name}: ${built.faults.map((fault) => fault.message).join(' ')}`);
		this.id = definition.id;
		this.code = definition.code;
		this.name = definition.name;
		this.kind = definition.kind;
		this.members = definition.members;
		this.tree = built.tree;
		this.unassigned = definition.members.findIndex((member) => member.unassigned);
		this.#ordinals = new Map(definition.members.map((member, ordinal) => [member.id, ordinal]));
		this.#byCode = new Map(definition.members.map((member, ordinal) => [member.code, ordinal]));
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
}
