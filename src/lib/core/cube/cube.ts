import type { Model, OriginMode } from '../model';
import { EMPTY, isEmpty, isValue, Sum } from '../number';
import { SeriesStore, type Address, type Block } from './series-store';

/** What one origin holds at a cell. */
export interface Contribution {
	origin: number;
	value: number;
}

/** The values of one origin in a series of several. */
interface OriginValues {
	origin: number;
	values: Float64Array;
}

/** The single origin of each series of a block, and what each one holds where there are several. */
interface BlockOrigins {
	single: number[];
	several: Map<number, OriginValues[]>;
}

/**
 * All stored numbers of a model. Most series come from one origin and need nothing beside their values; where several
 * contribute, each one's values are kept and the column holds the outcome.
 */
export class Cube {
	readonly store: SeriesStore;
	readonly #model: Model;
	readonly #origins = new Map<Block, BlockOrigins>();
	#cells = 0;

	constructor(model: Model) {
		this.#model = model;
		this.store = new SeriesStore(model.dimensions.length, model.periods.width, model.scenarioAxis);
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
		if (series < 0) return [];
		const origins = this.#originsOf(block!);
		const several = origins.several.get(series) ?? [
			{ origin: origins.single[series]!, values: block!.values.subarray(series * block!.width, (series + 1) * block!.width) }
		];
		return several.map(({ origin, values }) => ({ origin, value: values[position]! })).filter(({ value }) => isValue(value));
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

	/** The origins that have written to a series of a block. */
	originsOf(block: Block, series: number): readonly number[] {
		const { single, several } = this.#originsOf(block);
		return several.get(series)?.map(({ origin }) => origin) ?? [single[series]!];
	}

	/** Sets what an origin holds at one cell (empty removes it). */
	writeCell(origin: number, address: Address, year: number, position: number, value: number): void {
		const block = this.store.ensureBlockOf(address, year);
		this.#write(block, block.ensure(address), this.#originsOf(block), origin, position, value);
	}

	/** The same where the series is known already. */
	writeAt(block: Block, series: number, origin: number, position: number, value: number): void {
		this.#write(block, series, this.#originsOf(block), origin, position, value);
	}

	/** Sets all an origin holds in a series; places left out or NaN become empty. */
	writeSeries(origin: number, address: Address, year: number, values: ArrayLike<number>): void {
		const block = this.store.ensureBlockOf(address, year);
		this.writeSeriesAt(block, block.ensure(address), origin, values);
	}

	/** The same where the series is known already. */
	writeSeriesAt(block: Block, series: number, origin: number, values: ArrayLike<number>): void {
		const origins = this.#originsOf(block);
		if (origins.single[series] === origin && !origins.several.has(series)) return this.#overwrite(block, series, values);
		for (let position = 0; position < block.width; position++)
			this.#write(block, series, origins, origin, position, values[position] ?? EMPTY);
	}

	/** All places of a series that has one origin: the column itself. */
	#overwrite({ values: column, width }: Block, series: number, values: ArrayLike<number>): void {
		for (let place = series * width, position = 0; position < width; position++, place++) {
			const value = values[position] ?? EMPTY;
			this.#cells += (isValue(value) ? 1 : 0) - (isValue(column[place]!) ? 1 : 0);
			column[place] = value;
		}
	}

	/** Bytes held by the columns and indexes. */
	get bytes(): number {
		let total = 0;
		for (const { block } of this.store.blocks()) total += block.bytes + block.count * 8;
		return total;
	}

	/** While a series has one origin its values are the column itself; the second one moves both beside the column. */
	#write(block: Block, series: number, origins: BlockOrigins, origin: number, position: number, value: number): void {
		const place = series * block.width + position;
		const before = block.values[place]!;
		const single = origins.single[series] ?? -1;
		let several = origins.several.size === 0 ? undefined : origins.several.get(series);
		if (!several && (single < 0 || single === origin)) {
			origins.single[series] = origin;
			block.values[place] = value;
		} else {
			if (!several)
				origins.several.set(
					series,
					(several = [{ origin: single, values: block.values.slice(series * block.width, (series + 1) * block.width) }])
				);
			let own = several.find((each) => each.origin === origin);
			if (!own) several.push((own = { origin, values: new Float64Array(block.width).fill(EMPTY) }));
			own.values[position] = value;
			block.values[place] = this.#combine(several, position, block.coordinates[this.#model.accountAxis]![series]!);
		}
		this.#cells += (isValue(block.values[place]!) ? 1 : 0) - (isValue(before) ? 1 : 0);
	}

	#combine(contributions: readonly OriginValues[], position: number, account: number): number {
		return combineContributions(
			contributions.map(({ origin, values }) => ({ mode: this.#model.origin(origin)?.mode ?? 'proposes', value: values[position]! })),
			addsUp(this.#model, account)
		);
	}

	#originsOf(block: Block) {
		let origins = this.#origins.get(block);
		if (!origins) this.#origins.set(block, (origins = { single: [], several: new Map() }));
		return origins;
	}
}

/** Fills `into` from a place of a column on. A loop: cheaper than a view and a copy for the few periods of a year. */
function copyPlaces(from: Float64Array, place: number, into: Float64Array): Float64Array {
	for (let position = 0; position < into.length; position++) into[position] = from[place + position]!;
	return into;
}

/** What is to be stored as the entry so that the cell shows `typed`: additions stay on top of it. */
export function entryFor(model: Model, cube: Cube, address: Address, year: number, position: number, typed: number): number {
	if (!addsUp(model, address[model.accountAxis]!)) return typed;
	const additions = cube.contributions(address, year, position).filter(({ origin }) => model.origin(origin)?.mode === 'adds');
	return additions.reduce((rest, { value }) => rest - value, typed);
}

/** Whether an account's proposals and additions add up (money, quantities) or the later one wins (percents, prices). */
export function addsUp(model: Model, accountOrdinal: number): boolean {
	const type = model.account(accountOrdinal)?.valueType;
	return type === undefined || type === 'money' || type === 'quantity';
}

/**
 * The effective value of a cell: the entry if there is one, else the sum of proposals; plus the sum of additions.
 * Where values do not add up, the entry or else the last proposal stands alone.
 */
export function combineContributions(contributions: readonly { mode: OriginMode; value: number }[], adding: boolean): number {
	let entry = EMPTY;
	const proposals = new Sum();
	const additions = new Sum();
	let last = EMPTY;
	for (const { mode, value } of contributions) {
		if (isEmpty(value)) continue;
		if (mode === 'entry') entry = value;
		else if (mode === 'proposes') proposals.add((last = value));
		else additions.add(value);
	}
	if (!adding) return isValue(entry) ? entry : last;
	const basis = isValue(entry) ? entry : proposals.value;
	if (isEmpty(basis)) return additions.value;
	return isEmpty(additions.value) ? basis : basis + additions.value;
}
