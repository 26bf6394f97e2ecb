import type { Model } from '../model';
import { EMPTY, isEmpty, isValue } from '../number';
import type { Address } from '../cell';
import { SeriesStore, type Block } from './series-store';
import { addsUp, adjusts, modeOf, NOTHING, standing, standingOrigins, type Contribution } from './standing';

/** The values of one origin in a series of several. */
interface OriginValues {
	origin: number;
	values: Float64Array;
	stamps: Float64Array;
}

/** The single origin of each series of a block with its stamp, and what each one holds where there are several. */
interface BlockOrigins {
	single: number[];
	stamp: number[];
	/** Stamps of a single origin's series where they differ from period to period. */
	places: StampPlaces;
	several: Map<number, OriginValues[]>;
}

/** Stamps period by period, for the series of a block that need it: one column for all, as arrays of a year's each cost the collector seconds. */
class StampPlaces {
	readonly #width: number;
	#values = new Float64Array(0);
	#isApart = new Uint8Array(0);

	constructor(width: number) {
		this.#width = width;
	}

	/** Whether a series has stamps of its own for each period. */
	has(series: number): boolean {
		return this.#isApart[series] === 1;
	}

	at(series: number, position: number): number {
		return this.#values[series * this.#width + position]!;
	}

	set(series: number, position: number, stamp: number): void {
		this.#values[series * this.#width + position] = stamp;
	}

	/** From now on a series has stamps of its own, beginning with one for all. */
	begin(series: number, stamp: number): void {
		if (series >= this.#isApart.length) {
			const room = Math.max(16, 2 * (series + 1));
			const [values, isApart] = [this.#values, this.#isApart];
			this.#values = new Float64Array(room * this.#width);
			this.#values.set(values);
			this.#isApart = new Uint8Array(room);
			this.#isApart.set(isApart);
		}
		this.#isApart[series] = 1;
		this.#values.fill(stamp, series * this.#width, (series + 1) * this.#width);
	}

	end(series: number): void {
		if (series < this.#isApart.length) this.#isApart[series] = 0;
	}

	read(series: number, into: Float64Array): Float64Array {
		return copyPlaces(this.#values, series * this.#width, into);
	}

	get bytes(): number {
		return this.#values.byteLength + this.#isApart.byteLength;
	}
}

/**
 * All stored numbers of a model. Most series come from one origin and need little beside their values; where several
 * contribute, each one's values are kept and the column holds the outcome. Every value of a load or result has a
 * **stamp**, the revision it was written with, as the newest of them stands.
 */
export class Cube {
	readonly store: SeriesStore;
	#model: Model;
	readonly #origins = new Map<Block, BlockOrigins>();
	#cells = 0;

	get model(): Model {
		return this.#model;
	}

	constructor(model: Model) {
		this.#model = model;
		this.store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
	}

	/**
	 * Moves the cells to a changed model, in place: members are found by their ids, what belonged to members that are gone
	 * goes. Views over the cube must be made anew. O(series) where ordinals move; else O(series of several origins).
	 * @returns false, and nothing is changed, where the cells must be read anew: other dimensions, or leaf periods elsewhere in
	 * their years
	 */
	moveTo(next: Model): boolean {
		const before = this.#model;
		if (!hasSamePlaces(before, next)) return false;
		const ordinals = before.dimensions.map((dimension, axis) => {
			const to = Int32Array.from(dimension.members, ({ id }) => next.dimensions[axis]!.ordinal(id) ?? -1);
			return to.every((ordinal, former) => ordinal === former) ? undefined : to;
		});
		this.#model = next;
		if (ordinals.some((of) => of !== undefined)) {
			const { shrunk, gone } = this.store.renumber(ordinals);
			for (const block of gone) this.#origins.delete(block);
			for (const [block, stay] of shrunk) this.#origins.set(block, originsAt(this.#originsOf(block), stay, block.width));
		}
		this.restand();
		return true;
	}

	/** Works out anew what stands where several origins meet, and how many cells hold a value: after their modes or ranks have changed. */
	restand(): void {
		this.#cells = 0;
		for (const { block } of this.store.blocks()) {
			for (const [series, several] of this.#originsOf(block).several) {
				const account = block.coordinates[this.#model.accountAxis]![series]!;
				for (let position = 0; position < block.width; position++)
					block.values[series * block.width + position] = this.#combine(several, position, account);
			}
			for (let place = 0; place < block.count * block.width; place++) if (isValue(block.values[place]!)) this.#cells++;
		}
	}

	/** How many cells hold a value. */
	get cells(): number {
		return this.#cells;
	}

	/** The effective value of a cell, empty when there is none. */
	read(address: Address, year: number, position: number): number {
		const block = this.store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		return series < 0 ? EMPTY : block!.values[series * block!.width + position]!;
	}

	/** What each origin holds at a cell, in the order they first wrote. */
	contributions(address: Address, year: number, position: number): Contribution[] {
		const block = this.store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		return series < 0 ? [] : this.contributionsAt(block!, series, position);
	}

	/** The same where the series is known already. */
	contributionsAt(block: Block, series: number, position: number): Contribution[] {
		const origins = this.#originsOf(block);
		const several = origins.several.get(series);
		if (!several) {
			const value = block.values[series * block.width + position]!;
			return isEmpty(value) ? [] : [{ origin: origins.single[series]!, value, stamp: stampAt(origins, series, position) }];
		}
		return several.flatMap(({ origin, values, stamps }) =>
			isValue(values[position]!) ? [{ origin, value: values[position]!, stamp: stamps[position]! }] : []
		);
	}

	/** Origins whose values show in a cell; the others are set aside. */
	standingAt(block: Block, series: number, position: number): Set<number> {
		return standingOrigins(
			this.#model,
			block.coordinates[this.#model.accountAxis]![series]!,
			this.contributionsAt(block, series, position)
		);
	}

	/**
	 * Whether something of another origin is loaded or computed at a cell: what a result of nothing would set aside.
	 * @param origin whose own value does not count
	 */
	hasOtherBase(block: Block, series: number, position: number, origin: number): boolean {
		const { single, several } = this.#originsOf(block);
		const isBase = (other: number) => other !== origin && (modeOf(this.#model, other) === 'loads' || modeOf(this.#model, other) === 'sets');
		const all = several.size === 0 ? undefined : several.get(series);
		if (all) return all.some((each) => isValue(each.values[position]!) && isBase(each.origin));
		return isValue(block.values[series * block.width + position]!) && isBase(single[series]!);
	}

	/** What is added to the base of a cell: additions, and the entry where entries adjust. Empty when nothing is. */
	addedAt(block: Block, series: number, position: number): number {
		const { several, single } = this.#originsOf(block);
		const account = block.coordinates[this.#model.accountAxis]![series]!;
		if (!addsUp(this.#model, account)) return EMPTY;
		const adds = (origin: number) => {
			const mode = modeOf(this.#model, origin);
			return mode === 'adds' || (mode === 'entry' && adjusts(this.#model, account));
		};
		const all = several.size === 0 ? undefined : several.get(series);
		if (!all) return adds(single[series]!) ? block.values[series * block.width + position]! : EMPTY;
		let total = EMPTY;
		for (const { origin, values } of all)
			if (isValue(values[position]!) && adds(origin)) total = isEmpty(total) ? values[position]! : total + values[position]!;
		return total;
	}

	/** Whether several origins have written to a series. */
	isShared(block: Block, series: number): boolean {
		return this.#originsOf(block).several.has(series);
	}

	/** Whether an entry stands at a cell. */
	hasEntry(block: Block, series: number, position: number): boolean {
		const { several, single } = this.#originsOf(block);
		const all = several.size === 0 ? undefined : several.get(series);
		if (!all) return modeOf(this.#model, single[series]!) === 'entry' && isValue(block.values[series * block.width + position]!);
		return all.some(({ origin, values }) => isValue(values[position]!) && modeOf(this.#model, origin) === 'entry');
	}

	/** All an origin holds in a series, put into `into` where that is given; empty places as NaN. */
	seriesOf(origin: number, address: Address, year: number, into: Float64Array = new Float64Array(this.store.width)): Float64Array {
		const block = this.store.blockOf(address, year);
		const series = block ? block.find(address) : -1;
		return series < 0 ? into.fill(EMPTY) : this.heldAt(block!, series, origin, into);
	}

	/** The same where the series is known already. */
	heldAt(block: Block, series: number, origin: number, into: Float64Array): Float64Array {
		const origins = this.#originsOf(block);
		const several = origins.several.size === 0 ? undefined : origins.several.get(series);
		if (several) {
			const own = several.find((each) => each.origin === origin);
			return own ? copyPlaces(own.values, 0, into) : into.fill(EMPTY);
		}
		return origins.single[series] === origin ? copyPlaces(block.values, series * block.width, into) : into.fill(EMPTY);
	}

	/** The stamps of what an origin holds in a series; 0 where it holds nothing. */
	stampsAt(block: Block, series: number, origin: number, into: Float64Array): Float64Array {
		const origins = this.#originsOf(block);
		const several = origins.several.size === 0 ? undefined : origins.several.get(series);
		if (several) {
			const own = several.find((each) => each.origin === origin);
			return own ? copyPlaces(own.stamps, 0, into) : into.fill(0);
		}
		if (origins.single[series] !== origin) return into.fill(0);
		return origins.places.has(series) ? origins.places.read(series, into) : into.fill(origins.stamp[series]!);
	}

	/** The origins that have written to a series of a block. */
	originsOf(block: Block, series: number): readonly number[] {
		const { single, several } = this.#originsOf(block);
		return several.get(series)?.map(({ origin }) => origin) ?? [single[series]!];
	}

	/** Where some origins have written. O(series). */
	seriesOfOrigins(origins: ReadonlySet<number>): { origin: number; block: Block; series: number; year: number }[] {
		const found: { origin: number; block: Block; series: number; year: number }[] = [];
		if (origins.size === 0) return found;
		for (const { year, block } of this.store.blocks()) {
			const { single, several } = this.#originsOf(block);
			for (let series = 0; series < block.count; series++) {
				const all = several.size === 0 ? undefined : several.get(series);
				if (all) {
					for (const { origin } of all) if (origins.has(origin)) found.push({ origin, block, series, year });
				} else if (origins.has(single[series]!)) found.push({ origin: single[series]!, block, series, year });
			}
		}
		return found;
	}

	/**
	 * Sets what an origin holds at one cell (empty removes it).
	 * @param stamp the revision it is written with
	 */
	writeCell(origin: number, address: Address, year: number, position: number, value: number, stamp = 0): void {
		const block = this.store.ensureBlockOf(address, year);
		this.#write(block, block.ensure(address), this.#originsOf(block), origin, position, value, stamp);
	}

	/** The same where the series is known already. */
	writeAt(block: Block, series: number, origin: number, position: number, value: number, stamp = 0): void {
		this.#write(block, series, this.#originsOf(block), origin, position, value, stamp);
	}

	/**
	 * Sets all an origin holds in a series; places left out or NaN become empty.
	 * @param stamps the revision of each place; one for all: places that keep their value keep their stamp too
	 */
	writeSeries(origin: number, address: Address, year: number, values: ArrayLike<number>, stamps: number | ArrayLike<number> = 0): void {
		const block = this.store.ensureBlockOf(address, year);
		this.writeSeriesAt(block, block.ensure(address), origin, values, stamps);
	}

	/** The same where the series is known already. */
	writeSeriesAt(block: Block, series: number, origin: number, values: ArrayLike<number>, stamps: number | ArrayLike<number> = 0): void {
		const origins = this.#originsOf(block);
		const isOnly = !origins.several.has(series) && (origins.single[series] === origin || origins.single[series] === undefined);
		if (isOnly && typeof stamps === 'number' && origins.single[series] === undefined && !holdsNothing(values))
			return this.#fill(block, series, origins, origin, values, stamps);
		if (isOnly && typeof stamps !== 'number' && origins.single[series] === origin && !holdsNothing(values))
			return this.#overwrite(block, series, origins, values, stamps);
		const held = typeof stamps === 'number' ? this.heldAt(block, series, origin, new Float64Array(block.width)) : undefined;
		for (let position = 0; position < block.width; position++) {
			const value = values[position] ?? EMPTY;
			if (held && (held[position] === value || (isEmpty(value) && isEmpty(held[position]!)))) continue;
			this.#write(block, series, origins, origin, position, value, typeof stamps === 'number' ? stamps : stamps[position]!);
		}
	}

	/** All places of a series that held nothing: the column itself, under one stamp. */
	#fill(block: Block, series: number, origins: BlockOrigins, origin: number, values: ArrayLike<number>, stamp: number): void {
		const { values: column, width } = block;
		origins.single[series] = origin;
		origins.stamp[series] = stamp;
		for (let place = series * width, position = 0; position < width; position++, place++) {
			const value = values[position] ?? EMPTY;
			this.#cells += (isValue(value) ? 1 : 0) - (isValue(column[place]!) ? 1 : 0);
			column[place] = value;
		}
	}

	/** All places of a series of one origin, each under its own stamp. */
	#overwrite(block: Block, series: number, origins: BlockOrigins, values: ArrayLike<number>, stamps: ArrayLike<number>): void {
		this.#fill(block, series, origins, origins.single[series]!, values, stamps[0] ?? 0);
		let isOne = true;
		for (let position = 1; position < block.width; position++) if (stamps[position] !== stamps[0]) isOne = false;
		if (isOne) return origins.places.end(series);
		origins.places.begin(series, 0);
		for (let position = 0; position < stamps.length; position++) origins.places.set(series, position, stamps[position]!);
	}

	/** Bytes held by the columns and indexes. */
	get bytes(): number {
		let total = 0;
		for (const { block } of this.store.blocks()) total += block.bytes + block.count * 8 + this.#originsOf(block).places.bytes;
		return total;
	}

	/** While a series has one origin its values are the column itself; the second one moves both beside the column. */
	#write(block: Block, series: number, origins: BlockOrigins, origin: number, position: number, value: number, stamp: number): void {
		const place = series * block.width + position;
		const before = block.values[place]!;
		const single = origins.single[series] ?? -1;
		let several = origins.several.size === 0 ? undefined : origins.several.get(series);
		if (!several && (single < 0 || single === origin) && value !== NOTHING) {
			origins.single[series] = origin;
			block.values[place] = value;
			if (isValue(value)) stampOne(origins, series, position, stamp);
		} else {
			if (!several) {
				const values = block.values.slice(series * block.width, (series + 1) * block.width);
				const stamps = origins.places.has(series)
					? origins.places.read(series, new Float64Array(block.width))
					: new Float64Array(block.width).fill(origins.stamp[series] ?? 0);
				origins.several.set(series, (several = single < 0 ? [] : [{ origin: single, values, stamps }]));
				origins.places.end(series);
			}
			let own = several.find((each) => each.origin === origin);
			if (!own) several.push((own = { origin, values: new Float64Array(block.width).fill(EMPTY), stamps: new Float64Array(block.width) }));
			own.values[position] = value;
			own.stamps[position] = isEmpty(value) ? 0 : stamp;
			block.values[place] = this.#combine(several, position, block.coordinates[this.#model.accountAxis]![series]!);
		}
		this.#cells += (isValue(block.values[place]!) ? 1 : 0) - (isValue(before) ? 1 : 0);
	}

	#combine(several: readonly OriginValues[], position: number, account: number): number {
		const held: Contribution[] = [];
		for (const { origin, values, stamps } of several)
			if (isValue(values[position]!)) held.push({ origin, value: values[position]!, stamp: stamps[position]! });
		// Most often one origin alone holds something in this period.
		if (held.length === 1) return held[0]!.value === NOTHING ? EMPTY : held[0]!.value;
		return held.length === 0 ? EMPTY : standing(this.#model, account, held);
	}

	#originsOf(block: Block) {
		let origins = this.#origins.get(block);
		if (!origins) this.#origins.set(block, (origins = { single: [], stamp: [], places: new StampPlaces(block.width), several: new Map() }));
		return origins;
	}
}

/** Whether cells of one model have their dimensions and places within years in the other too. */
function hasSamePlaces(before: Model, next: Model): boolean {
	return (
		before.periods.width === next.periods.width &&
		before.dimensions.length === next.dimensions.length &&
		before.dimensions.every(({ id }, axis) => next.dimensions[axis]!.id === id) &&
		before.periods.leaves.every(({ ordinal, fiscalYear, position }) => {
			const { dimension } = next.periods;
			const now = dimension.ordinal(before.periods.dimension.member(ordinal).id);
			if (now === undefined || !dimension.tree.isLeaf(now)) return false;
			const leaf = next.periods.leaf(next.periods.range(now).from);
			return leaf.fiscalYear === fiscalYear && leaf.position === position;
		})
	);
}

/** The origins of a block whose series have moved up, by their former places. */
function originsAt({ single, stamp, places, several }: BlockOrigins, stay: Int32Array, width: number): BlockOrigins {
	const moved: BlockOrigins = { single: [], stamp: [], places: new StampPlaces(width), several: new Map() };
	for (const [series, former] of stay.entries()) {
		if (single[former] !== undefined) moved.single[series] = single[former];
		if (stamp[former] !== undefined) moved.stamp[series] = stamp[former];
		const held = several.get(former);
		if (held) moved.several.set(series, held);
		if (!places.has(former)) continue;
		moved.places.begin(series, 0);
		for (let position = 0; position < width; position++) moved.places.set(series, position, places.at(former, position));
	}
	return moved;
}

function stampAt({ stamp, places }: BlockOrigins, series: number, position: number): number {
	return places.has(series) ? places.at(series, position) : (stamp[series] ?? 0);
}

/** Stamps one place of a series of one origin; the places get stamps of their own when it is another than theirs. */
function stampOne({ stamp: stamps, places }: BlockOrigins, series: number, position: number, stamp: number): void {
	if (places.has(series)) places.set(series, position, stamp);
	else if (stamps[series] === undefined) stamps[series] = stamp;
	else if (stamps[series] !== stamp) {
		places.begin(series, stamps[series]);
		places.set(series, position, stamp);
	}
}

function holdsNothing(values: ArrayLike<number>): boolean {
	for (let position = 0; position < values.length; position++) if (values[position] === NOTHING) return true;
	return false;
}

/** Fills `into` from a place of a column on. A loop: cheaper than a view and a copy for the few periods of a year. */
function copyPlaces(from: Float64Array, place: number, into: Float64Array): Float64Array {
	for (let position = 0; position < into.length; position++) into[position] = from[place + position]!;
	return into;
}
