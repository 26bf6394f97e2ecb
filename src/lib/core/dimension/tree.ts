import type { MemberDefinition, NodeDefinition } from './dimension';

/** What is wrong with a hierarchy, as data: a code, the members concerned, and a sentence. */
export interface TreeFault {
	code: 'unknown member' | 'second parent' | 'circle' | 'duplicate code';
	members: number[];
	message: string;
}

/** One hierarchy over the members of a dimension, by ordinals. Members outside the hierarchy are roots without children. */
export class Tree {
	/** Parent of each ordinal, −1 for roots. */
	readonly parent: Int32Array;
	/** How each ordinal counts in its parent: +1, −1 or 0. */
	readonly weight: Float64Array;
	/** Steps from the root. */
	readonly depth: Int32Array;
	/** Ordinals in pre-order. */
	readonly order: Int32Array;
	/** Where each ordinal stands in `order`, and where its subtree ends (exclusive). */
	readonly start: Int32Array;
	readonly end: Int32Array;

	constructor(parent: Int32Array, weight: Float64Array, childrenOf: readonly (readonly number[])[], roots: readonly number[]) {
		const size = parent.length;
		this.parent = parent;
		this.weight = weight;
		this.depth = new Int32Array(size);
		this.order = new Int32Array(size);
		this.start = new Int32Array(size);
		this.end = new Int32Array(size);
		const stack = [...roots].reverse();
		let position = 0;
		while (stack.length > 0) {
			const ordinal = stack.pop()!;
			const above = parent[ordinal]!;
			this.depth[ordinal] = above < 0 ? 0 : this.depth[above]! + 1;
			this.start[ordinal] = position;
			this.order[position++] = ordinal;
			const children = childrenOf[ordinal]!;
			for (let index = children.length - 1; index >= 0; index--) stack.push(children[index]!);
		}
		// A subtree ends where the last of its descendants ends: walk the pre-order backwards and hand the end upwards.
		for (let at = position - 1; at >= 0; at--) {
			const ordinal = this.order[at]!;
			if (this.end[ordinal] === 0) this.end[ordinal] = at + 1;
			const above = parent[ordinal]!;
			if (above >= 0 && this.end[above]! < this.end[ordinal]!) this.end[above] = this.end[ordinal]!;
		}
	}

	isLeaf(ordinal: number): boolean {
		return this.end[ordinal]! - this.start[ordinal]! === 1;
	}

	/** The members without a parent, in order. */
	roots(): number[] {
		return [...this.order].filter((ordinal) => this.parent[ordinal]! < 0);
	}

	/** The member without a parent that most leaves are under: what stands for all of a dimension where one member has to. */
	largestRoot(): number {
		return this.roots().reduce((best, root) => (this.leaves(root).length > this.leaves(best).length ? root : best));
	}

	/** The children of a member, in order. */
	children(ordinal: number): number[] {
		const found: number[] = [];
		for (let at = this.start[ordinal]! + 1; at < this.end[ordinal]!; at = this.end[this.order[at]!]!) found.push(this.order[at]!);
		return found;
	}

	/** The member and all under it, in pre-order. */
	under(ordinal: number): number[] {
		return [...this.order.subarray(this.start[ordinal]!, this.end[ordinal]!)];
	}

	/** The leaves under a member (itself when it is one), in pre-order. */
	leaves(ordinal: number): number[] {
		return this.under(ordinal).filter((each) => this.isLeaf(each));
	}

	/** Whether `ordinal` is `ancestor` or stands under it. */
	isUnder(ordinal: number, ancestor: number): boolean {
		return this.start[ordinal]! >= this.start[ancestor]! && this.start[ordinal]! < this.end[ancestor]!;
	}

	/** The members above one, nearest first. */
	ancestors(ordinal: number): number[] {
		const found: number[] = [];
		for (let above = this.parent[ordinal]!; above >= 0; above = this.parent[above]!) found.push(above);
		return found;
	}

	/**
	 * Calls back with each leaf that counts in a member and the product of the weights on the way up to it
	 * (the member's own weight does not count). Leaves below a weight of 0 are left out.
	 */
	eachWeightedLeaf(ordinal: number, visit: (leaf: number, weight: number) => void): void {
		const factor = new Map<number, number>([[ordinal, 1]]);
		for (let at = this.start[ordinal]!; at < this.end[ordinal]!;) {
			const current = this.order[at]!;
			const weight = current === ordinal ? 1 : factor.get(this.parent[current]!)! * this.weight[current]!;
			if (weight === 0) {
				at = this.end[current]!;
				continue;
			}
			if (this.isLeaf(current)) visit(current, weight);
			else factor.set(current, weight);
			at++;
		}
	}
}

/**
 * Builds the tree of a hierarchy and checks it: codes unique, one parent each, no circle.
 * @returns the tree, or every fault found
 */
export function buildTree(
	members: readonly MemberDefinition[],
	nodes: readonly NodeDefinition[]
): { tree: Tree } | { faults: TreeFault[] } {
	const faults: TreeFault[] = [];
	const ordinalOf = new Map(members.map((member, ordinal) => [member.id, ordinal]));
	const label = (ordinal: number) => `“${members[ordinal]!.name}” (${members[ordinal]!.code})`;
	const codes = new Map<string, number>();
	members.forEach((member, ordinal) => {
		const first = codes.get(member.code);
		if (first === undefined) codes.set(member.code, ordinal);
		else
			faults.push({
				code: 'duplicate code',
				members: [members[first]!.id, member.id],
				message: `The code ${member.code} is used by ${label(first)} and by ${label(ordinal)}.`
			});
	});
	const parent = new Int32Array(members.length).fill(-1);
	const weight = new Float64Array(members.length).fill(1);
	const childrenOf: number[][] = members.map(() => []);
	const placed = new Uint8Array(members.length);
	const roots: number[] = [];
	for (const node of nodes) {
		const ordinal = ordinalOf.get(node.member);
		const above = node.parent === null ? -1 : ordinalOf.get(node.parent);
		if (ordinal === undefined || above === undefined) {
			const missing = ordinal === undefined ? node.member : node.parent!;
			faults.push({
				code: 'unknown member',
				members: [missing],
				message: `The hierarchy names a member ${missing} that the dimension does not have.`
			});
			continue;
		}
		if (placed[ordinal]) {
			const first = parent[ordinal]! < 0 ? 'the top' : label(parent[ordinal]!);
			faults.push({
				code: 'second parent',
				members: [node.member],
				message: `${label(ordinal)} stands under ${first} and under ${above < 0 ? 'the top' : label(above)}.`
			});
			continue;
		}
		placed[ordinal] = 1;
		parent[ordinal] = above;
		weight[ordinal] = node.weight;
		if (above < 0) roots.push(ordinal);
		else childrenOf[above]!.push(ordinal);
	}
	for (let ordinal = 0; ordinal < members.length; ordinal++) if (!placed[ordinal]) roots.push(ordinal);
	const circle = findCircle(parent);
	if (circle)
		faults.push({
			code: 'circle',
			members: circle.map((ordinal) => members[ordinal]!.id),
			message: `A circle: ${circle.map(label).join(' under ')}.`
		});
	return faults.length > 0 ? { faults } : { tree: new Tree(parent, weight, childrenOf, roots) };
}

/** The members of a circle of parents, first one repeated at the end; undefined when there is none. */
function findCircle(parent: Int32Array): number[] | undefined {
	const seenInWalk = new Int32Array(parent.length).fill(-1);
	for (let from = 0; from < parent.length; from++) {
		for (let at = from; at >= 0 && seenInWalk[at] !== from; at = parent[at]!) {
			if (seenInWalk[at]! >= 0) break;
			seenInWalk[at] = from;
			const above = parent[at]!;
			if (above >= 0 && seenInWalk[above] === from) {
				const path = [above];
				for (let step = parent[above]!; step !== above; step = parent[step]!) path.push(step);
				return [...path, above];
			}
		}
	}
	return undefined;
}
