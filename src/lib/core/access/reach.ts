import type { Model } from '../model';
import { coverage, ReadGuard } from './read-guard';
import type { Grant } from './rules';

/** What somebody may do with something at a member: the higher includes the lower. */
export const REACH = { nothing: 0, read: 1, write: 2 } as const;

/**
 * What grants let people reach at the members of one dimension, whatever lies in the others: for reports over many people.
 * Grants that name the same members share their work, so that asking is O(grants × members); grants that keep out of
 * slices over several dimensions are asked of a guard, which is exact and slower.
 */
export class ReachTable {
	readonly #model: Model;
	readonly #axis: number;
	readonly #guarded: ReadonlySet<number>;
	readonly #all: ReadonlySet<number>;
	readonly #covered = new Map<string, Uint8Array>();
	/** Parents (ordinals) with the leaves under each. */
	readonly #parents: { ordinal: number; leaves: Int32Array }[];

	/** @param guarded ids of the dimensions on which the model restricts reading */
	constructor(model: Model, axis: number, guarded: readonly number[]) {
		this.#model = model;
		this.#axis = axis;
		this.#guarded = new Set(guarded);
		this.#all = new Set(model.dimensions.map(({ id }) => id));
		const dimension = model.dimensions[axis]!;
		this.#parents = dimension.members.flatMap((_, ordinal) =>
			dimension.isLeaf(ordinal) ? [] : [{ ordinal, leaves: Int32Array.from(dimension.leavesOf(ordinal)) }]
		);
	}

	/** What a person with these grants reaches, by member (ordinal). */
	of(grants: readonly Grant[]): Uint8Array {
		const reads = this.#guarded.size === 0 ? undefined : this.#reached(grants, this.#guarded);
		const writes = this.#reached(
			grants.filter(({ level }) => level !== 'read'),
			this.#all
		);
		for (let ordinal = 0; ordinal < writes.length; ordinal++)
			// What may not be read is not written either.
			writes[ordinal] = reads && reads[ordinal] === 0 ? REACH.nothing : writes[ordinal] === 1 ? REACH.write : REACH.read;
		return writes;
	}

	/** Where something is left of what is granted, when only some dimensions matter. */
	#reached(grants: readonly Grant[], matter: ReadonlySet<number>): Uint8Array {
		const size = this.#model.dimensions[this.#axis]!.members.length;
		const reached = new Uint8Array(size);
		const isHere = ({ slice }: Grant) => Object.keys(slice).every((id) => Number(id) === this.#id || !matter.has(Number(id)));
		const out = grants.filter(({ level }) => level === 'none');
		if (!out.every(isHere)) {
			const guard = ReadGuard.of(this.#model, grants, [...matter])!;
			for (let ordinal = 0; ordinal < size; ordinal++) if (guard.reaches(this.#axis, ordinal)) reached[ordinal] = 1;
			return reached;
		}
		for (const grant of grants) if (grant.level !== 'none' && this.#isSomewhere(grant, matter)) this.#mark(reached, grant, matter, 1);
		for (const grant of out) this.#mark(reached, grant, matter, 0);
		return this.#upwards(reached);
	}

	get #id(): number {
		return this.#model.dimensions[this.#axis]!.id;
	}

	/** Whether a grant names anything that is there in each dimension it is limited to. */
	#isSomewhere({ slice }: Grant, matter: ReadonlySet<number>): boolean {
		return this.#model.dimensions.every(
			(dimension) => !matter.has(dimension.id) || slice[dimension.id]?.some((member) => dimension.ordinal(member) !== undefined) !== false
		);
	}

	#mark(reached: Uint8Array, { slice }: Grant, matter: ReadonlySet<number>, to: 0 | 1): void {
		const named = matter.has(this.#id) ? slice[this.#id] : undefined;
		if (!named) {
			reached.fill(to);
			return;
		}
		const key = named.join();
		let covered = this.#covered.get(key);
		if (!covered) this.#covered.set(key, (covered = coverage(this.#model.dimensions[this.#axis]!, slice)!));
		for (let ordinal = 0; ordinal < covered.length; ordinal++) if (covered[ordinal] === 1) reached[ordinal] = to;
	}

	/** A parent is reached where a leaf under it is. */
	#upwards(reached: Uint8Array): Uint8Array {
		for (const { ordinal, leaves } of this.#parents) {
			let any = 0;
			for (let place = 0; place < leaves.length && any === 0; place++) any = reached[leaves[place]!]!;
			reached[ordinal] = any;
		}
		return reached;
	}
}
