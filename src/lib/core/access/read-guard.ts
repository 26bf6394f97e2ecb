import type { Address } from '../cell';
import { classesOf, type Dimension } from '../dimension';
import type { Model } from '../model';
import type { AccessRules, Grant, SliceRule } from './rules';

/** More combinations of classes than this would need too large a table; grants then are too many to be meant. */
const MOST_COMBINATIONS = 16_000_000;

/**
 * What of a model a person may read, ready to be asked for every series of a scan. Members fall into classes (same set of
 * grants), and a table over combinations of classes says yes or no: grants over several dimensions together never leak
 * their union (Skerry × Deck crew and Northgate × Terminals do not give Skerry × Terminals).
 * Asking is O(dimensions); the table has one byte a combination.
 */
export class ReadGuard {
	readonly #model: Model;
	readonly #classOf: Int32Array[];
	readonly #strides: number[];
	readonly #allowed: Uint8Array;
	/** The axes whose members differ in what may be read, with what each member adds to a combination; the others add nothing. */
	readonly #telling: readonly { axis: number; steps: Int32Array }[];
	/** By axis and class: whether any combination with it is allowed. */
	readonly #reached: Uint8Array[];

	private constructor(model: Model, classOf: Int32Array[], strides: number[], allowed: Uint8Array) {
		this.#model = model;
		this.#classOf = classOf;
		this.#strides = strides;
		this.#allowed = allowed;
		this.#telling = [...strides.keys()]
			.filter((axis) => classOf[axis]!.some((each) => each !== 0))
			.map((axis) => ({ axis, steps: classOf[axis]!.map((each) => each * strides[axis]!) }));
		const counts = strides.map((stride, axis) => Math.max(1, ((strides[axis + 1] ?? allowed.length) / stride) | 0));
		// Figures lie at leaves: what is allowed at a class of parents alone reaches nothing.
		const ofLeaves = counts.map((count, axis) => {
			const found = new Uint8Array(count);
			classOf[axis]!.forEach((each, ordinal) => {
				if (model.dimensions[axis]!.isLeaf(ordinal)) found[each] = 1;
			});
			return found;
		});
		this.#reached = counts.map((count) => new Uint8Array(count));
		const classes = new Int32Array(counts.length);
		for (let combination = 0; combination < allowed.length; combination++) {
			if (allowed[combination] === 0) continue;
			let rest = combination;
			let isOfLeaves = true;
			for (let axis = 0; axis < counts.length; axis++) {
				classes[axis] = rest % counts[axis]!;
				rest = Math.floor(rest / counts[axis]!);
				isOfLeaves &&= ofLeaves[axis]![classes[axis]!] === 1;
			}
			if (isOfLeaves) for (let axis = 0; axis < counts.length; axis++) this.#reached[axis]![classes[axis]!] = 1;
		}
	}

	/** What rules let one read; undefined where that is everything, so that scans pay nothing. */
	static ofRules(model: Model, { grants, guarded = [] }: Pick<AccessRules, 'grants' | 'guarded'>): ReadGuard | undefined {
		return readsEverything({ grants, guarded }) ? undefined : ReadGuard.of(model, grants, guarded);
	}

	/**
	 * @param guarded ids of the dimensions on which the model restricts reading; the others do not matter
	 * @returns undefined where nothing is guarded, so that scans pay nothing
	 */
	static of(model: Model, grants: readonly Grant[], guarded: readonly number[]): ReadGuard | undefined {
		if (guarded.length === 0) return undefined;
		const slices = grants.map(({ level, slice }) => ({
			none: level === 'none',
			tables: model.dimensions.map((dimension) => (guarded.includes(dimension.id) ? coverage(dimension, slice) : undefined))
		}));
		const classes = model.dimensions.map(({ members }, axis) =>
			classesOf(members.length, (ordinal) => slices.map(({ tables }) => tables[axis]?.[ordinal] ?? 1).join(''))
		);
		const strides: number[] = [];
		let combinations = 1;
		for (const { representative } of classes) {
			strides.push(combinations);
			combinations *= Math.max(1, representative.length);
		}
		if (combinations > MOST_COMBINATIONS) throw new Error('These grants are too finely divided to be checked for every figure.');
		const allowed = new Uint8Array(combinations);
		for (let combination = 0; combination < combinations; combination++) {
			const ordinals = classes.map(
				({ representative }, axis) => representative[Math.floor(combination / strides[axis]!) % Math.max(1, representative.length)]!
			);
			const covering = slices.filter(({ tables }) => tables.every((table, axis) => !table || table[ordinals[axis]!] === 1));
			allowed[combination] = covering.some(({ none }) => !none) && !covering.some(({ none }) => none) ? 1 : 0;
		}
		return new ReadGuard(
			model,
			classes.map(({ classOf }) => classOf),
			strides,
			allowed
		);
	}

	/** Whether the person may read a leaf address. */
	mayRead(address: Address): boolean {
		let combination = 0;
		for (const { axis, steps } of this.#telling) combination += steps[address[axis]!]!;
		return this.#allowed[combination] === 1;
	}

	/** Whether there is anything to be read at or under a member of an axis. O(leaves under it). */
	reaches(axis: number, ordinal: number): boolean {
		for (const leaf of this.#model.dimensions[axis]!.leavesOf(ordinal))
			if (this.#reached[axis]![this.#classOf[axis]![leaf]!] === 1) return true;
		return false;
	}

	/** Whether there is anything to be read at or under a cell of any level. O(leaves under its members + combinations of their classes). */
	reachesCell(members: ArrayLike<number>): boolean {
		return this.#combinationsUnder(members).some((combination) => this.#allowed[combination] === 1);
	}

	/** Whether all that is at or under a cell of any level may be read. The same effort. */
	readsCell(members: ArrayLike<number>): boolean {
		return this.#combinationsUnder(members).every((combination) => this.#allowed[combination] === 1);
	}

	#combinationsUnder(members: ArrayLike<number>): number[] {
		let combinations = [0];
		for (let axis = 0; axis < this.#classOf.length; axis++) {
			const classes = new Set<number>();
			for (const leaf of this.#model.dimensions[axis]!.leavesOf(members[axis]!)) classes.add(this.#classOf[axis]![leaf]!);
			combinations = combinations.flatMap((sum) => [...classes].map((each) => sum + each * this.#strides[axis]!));
		}
		return combinations;
	}

	/** A test for the series of a block, by its columns of coordinates: without an address, and for the innermost loop. */
	testerFor(coordinates: readonly Int32Array[]): (series: number) => boolean {
		const allowed = this.#allowed;
		const steps = this.#telling.map((each) => each.steps);
		const columns = this.#telling.map(({ axis }) => coordinates[axis]!);
		return (series) => {
			let combination = 0;
			for (let at = 0; at < steps.length; at++) combination += steps[at]![columns[at]![series]!]!;
			return allowed[combination] === 1;
		};
	}
}

/** Whether nothing is hidden: the model guards nothing, or a grant is for all of what it guards and none keeps out. */
export function readsEverything({ grants, guarded = [] }: Pick<AccessRules, 'grants' | 'guarded'>): boolean {
	if (guarded.length === 0) return true;
	const isWhole = ({ slice }: Grant) => guarded.every((dimension) => slice[dimension] === undefined);
	return !grants.some(({ level }) => level === 'none') && grants.some(isWhole);
}

/** Which members a slice covers in the main tree; undefined for all. */
export function coverage(dimension: Dimension, slice: SliceRule): Uint8Array | undefined {
	const named = slice[dimension.id];
	if (!named) return undefined;
	const covered = new Uint8Array(dimension.members.length);
	for (const member of named) {
		const ordinal = dimension.ordinal(member);
		if (ordinal !== undefined) for (const under of dimension.tree.under(ordinal)) covered[under] = 1;
	}
	return covered;
}
