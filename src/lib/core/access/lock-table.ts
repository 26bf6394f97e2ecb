import type { PeriodRange } from '../calendar';
import type { Dimension } from '../dimension';
import type { Model } from '../model';
import { LOCK_LAYERS, type Lock, type LockLayer, type LockState } from './lock';

/** Combinations whose answer is kept; beyond it they are worked out again. */
const MOST_KEPT = 200_000;

const STRICTNESS: Record<LockState, number> = { open: 0, held: 1, closed: 2 };

/** The locks that keep a cell as it is: the first that closes it, else all that are held. */
export interface LocksStanding {
	closed: Lock | undefined;
	held: readonly Lock[];
}
const NOTHING: LocksStanding = { closed: undefined, held: [] };

/** What a layer says of a slice of any level. */
export interface SliceState {
	state: LockState;
	/** The lock that says so; undefined where none does. */
	lock: Lock | undefined;
	/** Whether it is set at exactly this slice. */
	isOwn: boolean;
	/** Locks within the slice, or across it, that say otherwise. */
	exceptions: readonly Lock[];
}

/**
 * The locks of a model, compiled once for everybody. Members fall into classes by the nearest member above them that a lock
 * names, so that thousands of locks cost little more than the members they name; for a class the locks that cover it are
 * bits, and those of a cell are the bits its classes have in common.
 *
 * In every layer, of the locks covering a cell those drop that wholly contain another one covering it; of those that remain
 * the strictest counts. Every layer must allow. Compiling is O(members + locks × members they name); asking is
 * O(dimensions + locks / 32) once for each combination of classes, and O(dimensions) from then on.
 */
export class LockTable {
	readonly locks: readonly Lock[];
	/** Of the dimensions, period last: the class of each member; undefined where no lock names any. */
	readonly classOf: readonly (Int32Array | undefined)[];
	readonly #axes: readonly Dimension[];
	/** By axis, lock: the members (ordinals) it names; undefined for all. */
	readonly #named: readonly (readonly (readonly number[] | undefined)[])[];
	/** By axis and class: which locks cover it. */
	readonly #covering: readonly (readonly Uint32Array[] | undefined)[];
	readonly #strides: readonly number[];
	readonly #index: ReadonlyMap<Lock, number>;
	readonly #words: number;
	readonly #kept = new Map<number, LocksStanding>();
	readonly #layers: Record<LockLayer, Uint32Array>;
	readonly #states: Record<LockState, Uint32Array>;
	readonly #periods: Model['periods'];
	readonly #ofMember: readonly Map<number, LeafLocks>[];
	readonly #ofRange = new Map<number, LeafLocks>();
	/** By axis and member: which locks name something at, above or beneath it. */
	readonly #touching: readonly Map<number, Uint32Array>[];

	constructor(model: Model, locks: readonly Lock[]) {
		this.locks = locks;
		this.#axes = [...model.dimensions, model.periods.dimension];
		this.#index = new Map(locks.map((lock, at) => [lock, at]));
		this.#words = Math.ceil(locks.length / 32);
		this.#named = this.#axes.map((dimension) =>
			locks.map(({ slice }) => slice[dimension.id]?.flatMap((member) => dimension.ordinal(member) ?? []))
		);
		const compiled = this.#axes.map((dimension, axis) => this.#compile(dimension, this.#named[axis]!));
		this.classOf = compiled.map((each) => each?.classOf);
		this.#covering = compiled.map((each) => each?.covering);
		let stride = 1;
		this.#strides = compiled.map((each) => {
			const own = stride;
			stride *= each?.covering.length ?? 1;
			return own;
		});
		const ofLayer = (layer: LockLayer) => this.#bits((lock) => locks[lock]!.layer === layer);
		this.#layers = { 'period close': ofLayer('period close'), cycle: ofLayer('cycle'), board: ofLayer('board') };
		const ofState = (state: LockState) => this.#bits((lock) => locks[lock]!.state === state);
		this.#states = { open: ofState('open'), held: ofState('held'), closed: ofState('closed') };
		this.#periods = model.periods;
		this.#touching = this.#axes.map(() => new Map());
		this.#ofMember = this.#axes.map(() => new Map());
	}

	#bits(isSet: (lock: number) => boolean): Uint32Array {
		const bits = new Uint32Array(this.#words);
		for (let lock = 0; lock < this.locks.length; lock++) if (isSet(lock)) bits[lock >> 5]! |= 1 << (lock & 31);
		return bits;
	}

	#compile(
		dimension: Dimension,
		named: readonly (readonly number[] | undefined)[]
	): { classOf: Int32Array; covering: Uint32Array[] } | undefined {
		if (named.every((members) => members === undefined)) return undefined;
		const { tree } = dimension;
		const namedBy = new Map<number, number[]>();
		named.forEach((members, lock) => members?.forEach((member) => namedBy.set(member, [...(namedBy.get(member) ?? []), lock])));
		const covering = [this.#bits((lock) => named[lock] === undefined)];
		const classOf = new Int32Array(dimension.members.length);
		// Pre-order: what is above has its class already.
		for (const ordinal of tree.order) {
			const above = tree.parent[ordinal]!;
			const inherited = above < 0 ? 0 : classOf[above]!;
			const own = namedBy.get(ordinal);
			classOf[ordinal] = own ? covering.length : inherited;
			if (!own) continue;
			const bits = covering[inherited]!.slice();
			for (const lock of own) bits[lock >> 5]! |= 1 << (lock & 31);
			covering.push(bits);
		}
		return { classOf, covering };
	}

	/**
	 * The locks that keep a leaf cell as it is, whoever asks.
	 * @param places one ordinal per dimension, the period’s last
	 */
	at(places: ArrayLike<number>): LocksStanding {
		if (this.locks.length === 0) return NOTHING;
		let key = 0;
		for (let axis = 0; axis < this.#axes.length; axis++) key += (this.classOf[axis]?.[places[axis]!] ?? 0) * this.#strides[axis]!;
		let standing = this.#kept.get(key);
		if (!standing) {
			standing = this.#standingOf(this.#select(this.#common((axis) => this.#covering[axis]?.[this.classOf[axis]![places[axis]!]!])));
			if (this.#kept.size < MOST_KEPT) this.#kept.set(key, standing);
		}
		return standing;
	}

	/**
	 * What a layer says of a slice of any level, and what within it says otherwise.
	 * @param places one ordinal per dimension, the period’s last; undefined where the slice is for all of a dimension
	 */
	ofSlice(layer: LockLayer, places: readonly (number | undefined)[]): SliceState {
		const containing = this.#common((axis) => this.#coveringOf(axis, places[axis]), this.#layers[layer]);
		const remaining = this.#remaining(this.#select(containing));
		const lock = strictest(remaining);
		const state = lock?.state ?? 'open';
		const touching = this.#common((axis) => this.#touched(axis, places[axis]), this.#layers[layer]);
		for (let word = 0; word < touching.length; word++) touching[word]! &= ~containing[word]!;
		return {
			state,
			lock,
			isOwn: remaining.some((each) => each.state === state && this.#isAt(each, places)),
			exceptions: this.#select(touching).filter((each) => each.state !== state)
		};
	}

	/**
	 * The same along one axis, for a row of a board: what each member says, and how many within it or across it say otherwise.
	 * @param places of the other axes; what stands at the axis itself does not matter
	 * @param beside locks that are not counted
	 * O(locks / 32) a member, and the locks that contain it.
	 */
	along(
		layer: LockLayer,
		places: readonly (number | undefined)[],
		axis: number,
		members: readonly number[],
		beside: Uint32Array
	): { state: LockState; isOwn: boolean; exceptions: number }[] {
		const others = (bitsOf: (axis: number) => Uint32Array | undefined) =>
			this.#common((each) => (each === axis ? undefined : bitsOf(each)), this.#layers[layer]);
		const containing = others((each) => this.#coveringOf(each, places[each]));
		const touching = others((each) => this.#touched(each, places[each]));
		const at = [...places];
		const here = new Uint32Array(this.#words);
		return members.map((member) => {
			at[axis] = member;
			const covering = this.#coveringOf(axis, member);
			const touched = this.#touched(axis, member);
			let any = 0;
			for (let word = 0; word < here.length; word++) any |= here[word] = containing[word]! & (covering ? covering[word]! : -1);
			const remaining = any === 0 ? [] : this.#remaining(this.#select(here));
			const state = strictest(remaining)?.state ?? 'open';
			const same = this.#states[state];
			let exceptions = 0;
			for (let word = 0; word < here.length; word++)
				exceptions += bitsIn(touching[word]! & (touched ? touched[word]! : -1) & ~here[word]! & ~beside[word]! & ~same[word]!);
			return { state, isOwn: remaining.some((each) => each.state === state && this.#isAt(each, at)), exceptions };
		});
	}

	/** Those of the locks for which something holds, as bits. */
	which(holds: (lock: Lock) => boolean): Uint32Array {
		return this.#bits((lock) => holds(this.locks[lock]!));
	}

	/**
	 * Whether all leaf cells of a slice are covered by the same locks, so that one of them says what all say.
	 * @param members one ordinal per dimension, of any level
	 */
	isUniform(members: ArrayLike<number>, { from, to }: PeriodRange): boolean {
		if (this.locks.length === 0) return true;
		const leaves: LeafLocks[] = [];
		for (let axis = 0; axis < this.#axes.length; axis++)
			if (this.#covering[axis])
				leaves.push(axis === this.#axes.length - 1 ? this.#ofPeriods(from, to) : this.#ofLeaves(axis, members[axis]!));
		for (let word = 0; word < this.#words; word++) {
			let some = -1;
			let every = -1;
			for (const each of leaves) {
				some &= each.some[word]!;
				every &= each.every[word]!;
			}
			if ((some & ~every) !== 0) return false;
		}
		return true;
	}

	#ofPeriods(from: number, to: number): LeafLocks {
		const key = from * this.#periods.leaves.length + to;
		let known = this.#ofRange.get(key);
		if (!known) {
			const ordinals = this.#periods.leaves.slice(from, to + 1).map(({ ordinal }) => ordinal);
			this.#ofRange.set(key, (known = this.#gather(this.#axes.length - 1, ordinals)));
		}
		return known;
	}

	#ofLeaves(axis: number, member: number): LeafLocks {
		let known = this.#ofMember[axis]!.get(member);
		if (!known) this.#ofMember[axis]!.set(member, (known = this.#gather(axis, this.#axes[axis]!.leavesOf(member))));
		return known;
	}

	/** The locks that cover some, and all, of some leaves of an axis. */
	#gather(axis: number, leaves: Iterable<number>): LeafLocks {
		const [some, every] = [new Uint32Array(this.#words), new Uint32Array(this.#words).fill(0xffffffff)];
		for (const leaf of leaves) {
			const covering = this.#coveringOf(axis, leaf)!;
			for (let word = 0; word < some.length; word++) {
				some[word]! |= covering[word]!;
				every[word]! &= covering[word]!;
			}
		}
		return { some, every };
	}

	/** Which locks cover a member of an axis, all of it where there is none; undefined where no lock names any. */
	#coveringOf(axis: number, place: number | undefined): Uint32Array | undefined {
		const covering = this.#covering[axis];
		return covering && covering[place === undefined ? 0 : this.classOf[axis]![place]!];
	}

	/** Which locks speak about something in common with a member of an axis. */
	#touched(axis: number, place: number | undefined): Uint32Array | undefined {
		if (!this.#covering[axis] || place === undefined) return undefined;
		let bits = this.#touching[axis]!.get(place);
		if (!bits) {
			const { tree } = this.#axes[axis]!;
			bits = this.#bits((lock) => {
				const named = this.#named[axis]![lock];
				return !named || named.some((member) => tree.isUnder(member, place) || tree.isUnder(place, member));
			});
			this.#touching[axis]!.set(place, bits);
		}
		return bits;
	}

	/** Whether a lock is for exactly a slice: one member of each dimension it names, and no others. */
	#isAt(lock: Lock, places: readonly (number | undefined)[]): boolean {
		const at = this.#index.get(lock)!;
		return this.#named.every((named, axis) => {
			const members = named[at];
			return members === undefined ? places[axis] === undefined : members.length === 1 && members[0] === places[axis];
		});
	}

	/** The bits that all axes have in common; an axis without any does not matter. */
	#common(bitsOf: (axis: number) => Uint32Array | undefined, within?: Uint32Array): Uint32Array {
		const common = within ? within.slice() : new Uint32Array(this.#words).fill(0xffffffff);
		for (let axis = 0; axis < this.#axes.length; axis++) {
			const bits = bitsOf(axis);
			if (bits) for (let word = 0; word < common.length; word++) common[word]! &= bits[word]!;
		}
		return common;
	}

	#select(bits: Uint32Array): Lock[] {
		const found: Lock[] = [];
		for (let word = 0; word < bits.length; word++)
			for (let rest = bits[word]!; rest !== 0; rest &= rest - 1) {
				const lock = this.locks[word * 32 + (31 - Math.clz32(rest & -rest))];
				if (lock) found.push(lock);
			}
		return found;
	}

	/** Of locks that cover something: those that contain no other one of their layer. */
	#remaining(covering: readonly Lock[]): Lock[] {
		const at = (lock: Lock) => this.#index.get(lock)!;
		return covering.filter(
			(lock) => !covering.some((other) => other.layer === lock.layer && other !== lock && this.#isNarrower(at(other), at(lock)))
		);
	}

	#standingOf(covering: readonly Lock[]): LocksStanding {
		if (covering.length === 0) return NOTHING;
		const standing = this.#remaining(covering);
		const layers = LOCK_LAYERS.map((layer) => standing.filter((lock) => lock.layer === layer));
		const closed = layers.map((each) => each.find(({ state }) => state === 'closed')).find((lock) => lock !== undefined);
		const held = closed ? [] : standing.filter(({ state }) => state === 'held');
		return closed || held.length > 0 ? { closed, held } : NOTHING;
	}

	/** Whether a lock covers less than another and nothing outside it. */
	#isNarrower(inner: number, outer: number): boolean {
		let less = false;
		for (let axis = 0; axis < this.#axes.length; axis++) {
			const within = this.#named[axis]![inner];
			const around = this.#named[axis]![outer];
			if (!around && !within) continue;
			if (!around) less = true;
			else if (!within) return false;
			else {
				const { tree } = this.#axes[axis]!;
				if (!within.every((member) => around.some((above) => tree.isUnder(member, above)))) return false;
				less ||= !around.every((member) => within.some((above) => tree.isUnder(member, above)));
			}
		}
		return less;
	}
}

/** Of the leaves of a member: the locks that cover some of them, and all. */
interface LeafLocks {
	some: Uint32Array;
	every: Uint32Array;
}

/** How many bits of a word are set. */
function bitsIn(word: number): number {
	let count = 0;
	for (let rest = word; rest !== 0; rest &= rest - 1) count++;
	return count;
}

const strictest = (locks: readonly Lock[]): Lock | undefined =>
	locks.reduce<Lock | undefined>((best, lock) => (!best || STRICTNESS[lock.state] > STRICTNESS[best.state] ? lock : best), undefined);
