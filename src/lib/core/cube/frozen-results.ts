import type { Address } from '../cell';
import type { LiveFormula, Model } from '../model';
import { isValue } from '../number';
import type { Cube } from './cube';
import { eachDriverSeries, eachMovingAddress, positionsIn } from './live';
import { LeafReader, liveMemo } from './live-value';
import { Overlay, type ChangedWhere } from './overlay';
import { Reader, type StoredReader } from './reader';
import { NOTHING } from './standing';

/** Frozen results of a scenario and fiscal year as they are stored: by members' ids, so that they outlive a structure. */
export interface FrozenBlock {
	/** The scenario (id) and fiscal year. */
	scenario: number;
	year: number;
	/** The dimensions (ids) whose members the keys name, in address order. */
	dimensions: number[];
	/** Of each series its members (ids), one after another in address order. */
	keys: Int32Array;
	/** Of each series a value for each place of its year: `NOTHING` where nothing shows, empty where none is frozen. */
	values: Float64Array;
	width: number;
}

/**
 * Results of per-leaf formulas as they stood when their slice was closed. Where one is frozen it shows instead of what
 * the formula would come to, for everybody and in everything that reads it, until it is opened again or restated.
 */
export class FrozenResults {
	readonly #model: Model;
	readonly #held: Overlay;
	/** Accounts by year, and by year and scenario, with any: most blocks have none, and are read as fast as ever. */
	readonly #touched = new Set<string>();

	constructor(model: Model) {
		this.#model = model;
		this.#held = new Overlay(model);
	}

	/** How many are frozen. */
	get size(): number {
		return this.#held.size;
	}

	/** Keeps a result; `NOTHING` where nothing shall show. */
	keep(address: Address, year: number, position: number, value: number): void {
		const account = address[this.#model.accountAxis]!;
		this.#touched.add(`${account} ${year}`).add(`${account} ${year} ${address[this.#model.scenarioAxis]!}`);
		this.#held.set(address, year, position, value);
	}

	/** What is kept at a cell, `NOTHING`, or empty where none is. */
	get(address: Address, year: number, position: number): number {
		return this.#held.get(address, year, position);
	}

	/** Whether any result of an account is frozen in a fiscal year, of one scenario where given. */
	touches(account: number, year: number, scenario?: number): boolean {
		return this.#touched.has(scenario === undefined ? `${account} ${year}` : `${account} ${year} ${scenario}`);
	}

	/** Calls back with every frozen result, or those asked for. The address is reused. */
	each(visit: (address: Int32Array, year: number, position: number, value: number) => void, where: ChangedWhere = {}): void {
		this.#held.each(visit, where);
	}

	/** As they are stored, a block a scenario and year. */
	blocks(): FrozenBlock[] {
		const { dimensions, scenarios, scenarioAxis, periods } = this.#model;
		const found = new Map<string, { block: FrozenBlock; keys: number[]; values: number[]; places: Map<string, number> }>();
		this.each((address, year, position, value) => {
			const scenario = scenarios.member(address[scenarioAxis]!).id;
			let into = found.get(`${scenario} ${year}`);
			if (!into)
				found.set(
					`${scenario} ${year}`,
					(into = {
						block: {
							scenario,
							year,
							dimensions: dimensions.map(({ id }) => id),
							keys: new Int32Array(),
							values: new Float64Array(),
							width: periods.width
						},
						keys: [],
						values: [],
						places: new Map()
					})
				);
			const key = address.join();
			let place = into.places.get(key);
			if (place === undefined) {
				into.places.set(key, (place = into.places.size));
				for (let axis = 0; axis < address.length; axis++) into.keys.push(dimensions[axis]!.member(address[axis]!).id);
				for (let at = 0; at < periods.width; at++) into.values.push(Number.NaN);
			}
			into.values[place * periods.width + position] = value;
		});
		return [...found.values()].map(({ block, keys, values }) => ({
			...block,
			keys: Int32Array.from(keys),
			values: Float64Array.from(values)
		}));
	}

	/** Those of stored blocks that a model has a place for; undefined where there are none, which costs nothing to read by. */
	static of(model: Model, blocks: readonly FrozenBlock[]): FrozenResults | undefined {
		const frozen = new FrozenResults(model);
		const address = new Int32Array(model.dimensions.length);
		for (const { year, dimensions, keys, values, width } of blocks) {
			if (dimensions.join() !== model.dimensions.map(({ id }) => id).join()) continue;
			series: for (let series = 0; series * address.length < keys.length; series++) {
				for (let axis = 0; axis < address.length; axis++) {
					const ordinal = model.dimensions[axis]!.ordinal(keys[series * address.length + axis]!);
					if (ordinal === undefined) continue series;
					address[axis] = ordinal;
				}
				for (let position = 0; position < Math.min(width, model.periods.width); position++) {
					const value = values[series * width + position]!;
					if (isValue(value) && formulaAt(model, address, year, position)) frozen.keep(address, year, position, value);
				}
			}
		}
		return frozen.size > 0 ? frozen : undefined;
	}
}

/**
 * The results to be frozen where cells are closed: those frozen already as they are, the others as they are now. Also
 * that nothing shows is kept, wherever a formula has something to read from.
 * O(series of the formulas' drivers × periods).
 */
export function freeze(cube: Cube, isClosed: (address: Address, leaf: number) => boolean): FrozenResults {
	const { model } = cube;
	const reader = new Reader(cube);
	const leaves = new LeafReader(model, reader.read, liveMemo(model));
	const frozen = new FrozenResults(model);
	const keep = (formula: LiveFormula, address: Int32Array, year: number, position: number) => {
		if (!isClosed(address, model.periods.at(year, position)!.index) || isValue(frozen.get(address, year, position))) return;
		const value = leaves.compute(formula, address, year, position);
		frozen.keep(address, year, position, isValue(value) ? value : NOTHING);
	};
	model.frozen?.each((address, year, position, value) => {
		const leaf = model.periods.at(year, position);
		if (leaf && formulaAt(model, address, year, position) && isClosed(address, leaf.index)) frozen.keep(address, year, position, value);
	});
	for (const formula of model.live.ordered) eachPlace(reader, formula, (address, year, position) => keep(formula, address, year, position));
	return frozen;
}

/**
 * Frozen results after a changed definition was said to restate them: those the change moves are as it has them, the
 * others stay. What moved elsewhere since they were frozen is not taken in along with it.
 * @param before the model as it was, nothing frozen
 * @param after the changed model, of the same addresses, nothing frozen
 */
export function restate(cube: Cube, frozen: Pick<FrozenResults, 'each'>, before: Model, after: Model): FrozenResults {
	const read: StoredReader = (address, year, position) => cube.read(address, year, position);
	const [was, is] = [before, after].map((model) => new LeafReader(model, read, liveMemo(model)));
	const restated = new FrozenResults(cube.model);
	frozen.each((address, year, position, value) => {
		if (!formulaAt(after, address, year, position)) return;
		const [old, now] = [was!.value(address.slice(), year, position), is!.value(address.slice(), year, position)];
		const isSame = old === now || (!isValue(old) && !isValue(now));
		restated.keep(address, year, position, isSame ? value : isValue(now) ? now : NOTHING);
	});
	return restated;
}

/** Every place at which a formula may have a cell. */
function eachPlace(reader: Reader, formula: LiveFormula, visit: (address: Int32Array, year: number, position: number) => void): void {
	const { model, cube } = reader;
	const { accountAxis, scenarioAxis } = model;
	if (formula.moving)
		return eachMovingAddress(reader, formula, (address) => {
			for (const year of model.periods.years)
				for (const position of positionsIn(model, formula, address[scenarioAxis]!, year)) visit(address, year, position);
		});
	const address = new Int32Array(model.dimensions.length);
	for (const { scenario, year, block } of cube.store.blocks()) {
		if (formula.scenarios?.[scenario] === 0) continue;
		const positions = positionsIn(model, formula, scenario, year);
		if (positions.length === 0) continue;
		eachDriverSeries(model, formula, block, (series) => {
			block.readAddress(series, address)[accountAxis] = formula.account;
			for (const position of positions) visit(address, year, position);
		});
	}
}

function formulaAt(model: Model, address: Address, year: number, position: number): LiveFormula | undefined {
	const leaf = model.periods.at(year, position);
	return leaf && model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf.index);
}
