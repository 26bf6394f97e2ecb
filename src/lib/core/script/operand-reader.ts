import {
	Block,
	eachLiveCell,
	isTranslated,
	leafValue,
	rateUse,
	storedReader,
	translationFactors,
	type Cube,
	type StoredReader
} from '../cube';
import type { Dimension } from '../dimension';
import { continuationOf, type Model } from '../model';
import { EMPTY, isEmpty } from '../number';
import type { Shifts } from '../calendar';
import type { AxisRead, Operand } from './tree';

/** What operands of one run share: the cube as it stands, the calendar's shifts, and what was looked up before. */
export interface Reading {
	model: Model;
	cube: Cube;
	shifts: Shifts;
	/** Rates found missing while reading across currencies. */
	missingRates: { count: number };
}

/** The values of one operand, at the target that was set last, period by period. */
export interface OperandReader {
	/** From now on the current cell is this address; it is kept, not copied. */
	target(address: Int32Array): void;
	at(leaf: number): number;
	/** Calls back with the addresses at which it may have values, as they are read; the address is reused. */
	eachSource(visit: (address: Int32Array) => void): void;
}

/** A reader of an operand as the cube is now. Values written later are seen where the operand is no total. */
export function operandReader(reading: Reading, operand: Operand): OperandReader {
	const { model } = reading;
	const isTotal = !model.accounts.isLeaf(operand.account) || [...operand.axes.values()].some(({ kind }) => kind !== 'member');
	const base = isTotal ? new TotalReader(reading, operand) : new CellReader(reading, operand);
	return operand.shift || operand.period !== undefined || operand.span ? new TimeReader(reading, operand, base) : base;
}

/** One leaf account at leaf members. */
class CellReader implements OperandReader {
	readonly #reading: Reading;
	readonly #read: StoredReader;
	readonly #account: number;
	readonly #fixed: { axis: number; ordinal: number }[];
	readonly #address: Int32Array;
	readonly #isLive: boolean;
	readonly #frequency: 'per period' | 'per year' | 'timeless';
	#factors: Float64Array | undefined;
	/** Series of the current address by fiscal year, as they are asked for: its block and first value. */
	#year = Number.NaN;
	#block: Block | undefined;
	#series = -1;
	/** Blocks grow as series are written: what was not there is looked for again. */
	readonly #translates: boolean;
	readonly #rates = new Map<string, Float64Array>();

	constructor(reading: Reading, { account, axes }: Operand) {
		const { model, cube } = reading;
		this.#reading = reading;
		this.#read = storedReader(cube, undefined);
		this.#account = account;
		this.#fixed = [...axes].map(([axis, where]) => ({ axis, ordinal: (where as { ordinal: number }).ordinal }));
		this.#address = new Int32Array(model.dimensions.length);
		this.#isLive = model.live.has(account);
		const facts = model.account(account);
		this.#frequency = facts?.frequency ?? 'per period';
		this.#translates = facts !== undefined && isTranslated(facts) && axes.has(model.entityAxis);
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#address.set(address);
		this.#address[model.accountAxis] = this.#account;
		for (const { axis, ordinal } of this.#fixed) this.#address[axis] = ordinal;
		this.#year = Number.NaN;
		this.#factors = this.#translates
			? factorsBetween(this.#reading, this.#rates, this.#account, this.#address, address[model.entityAxis]!)
			: undefined;
	}

	at(leaf: number): number {
		const { model, cube } = this.#reading;
		const { fiscalYear, position } = model.periods.leaf(leaf);
		const year = this.#frequency === 'timeless' ? 0 : fiscalYear;
		const place = this.#frequency === 'per period' ? position : 0;
		let value: number;
		if (this.#isLive) value = leafValue(model, this.#read, this.#address, year, place);
		else {
			if (year !== this.#year || this.#series < 0) {
				this.#year = year;
				this.#block = cube.store.blockOf(this.#address, year);
				this.#series = this.#block ? this.#block.find(this.#address) : -1;
			}
			value = this.#series < 0 ? EMPTY : this.#block!.values[this.#series * this.#block!.width + place]!;
		}
		return this.#factors ? translated(this.#reading, value, this.#factors[leaf]!) : value;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		const { model } = this.#reading;
		eachAddress(
			this.#reading,
			(account) => account === this.#account,
			(address) => {
				if (this.#fixed.every(({ axis, ordinal }) => address[axis] === ordinal)) visit(address);
			}
		);
		void model;
	}
}

/** A parent account, or members added up: worked out once for all cells that share the members left free. */
class TotalReader implements OperandReader {
	readonly #reading: Reading;
	readonly #operand: Operand;
	readonly #key: Int32Array;
	#sums: Block | undefined;
	#counts: Block | undefined;
	#series = -1;
	readonly #currencies: readonly string[];
	readonly #rates = new Map<string, Float64Array>();

	constructor(reading: Reading, operand: Operand) {
		const { model } = reading;
		this.#reading = reading;
		this.#operand = operand;
		// The last place of the key is the currency of the target.
		this.#key = new Int32Array(model.dimensions.length + 1);
		const entities = model.dimensions[model.entityAxis];
		this.#currencies = entities ? [...new Set(entities.members.map((_, ordinal) => model.currencyOf(ordinal)))] : [];
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#build();
		this.#key.fill(0);
		for (let axis = 0; axis < address.length; axis++) {
			const where = this.#operand.axes.get(axis);
			const { tree } = model.dimensions[axis]!;
			if (axis === model.accountAxis || where?.kind === 'over' || where?.kind === 'member') continue;
			if (!where) this.#key[axis] = address[axis]!;
			else
				this.#key[axis] =
					where.kind === 'parent' ? Math.max(0, tree.parent[address[axis]!]!) : rootOf(model.dimensions[axis]!, address[axis]!);
		}
		if (this.#crossesEntities) this.#key[address.length] = this.#currencies.indexOf(model.currencyOf(address[model.entityAxis]!));
		this.#series = this.#sums!.find(this.#key);
	}

	get #crossesEntities(): boolean {
		return this.#reading.model.entityAxis >= 0 && this.#operand.axes.has(this.#reading.model.entityAxis);
	}

	at(leaf: number): number {
		if (this.#series < 0) return EMPTY;
		const place = this.#series * this.#sums!.width + leaf;
		if (this.#operand.fold === 'avg') return this.#sums!.values[place]! / this.#counts!.values[place]!;
		return this.#operand.fold === 'count' ? this.#counts!.values[place]! : this.#sums!.values[place]!;
	}

	eachSource(visit: (address: Int32Array) => void): void {
		const { model } = this.#reading;
		const weights = weightsUnder(model.accounts, [this.#operand.account]);
		eachAddress(
			this.#reading,
			(account) => weights[account] !== 0,
			(address) => {
				for (const [axis, where] of this.#operand.axes)
					if (
						where.kind === 'member'
							? address[axis] !== where.ordinal
							: where.kind === 'over' && weightsUnder(model.dimensions[axis]!, where.ordinals)[address[axis]!] === 0
					)
						return;
				visit(address);
			}
		);
	}

	/** Adds every leaf cell to the totals it belongs to. O(cells of the account). */
	#build(): void {
		if (this.#sums) return;
		const { model, cube } = this.#reading;
		const { account, axes, fold } = this.#operand;
		const leaves = model.periods.leaves.length;
		const sums = (this.#sums = new Block(model.dimensions.length + 1, leaves));
		const counts = (this.#counts = fold === 'sum' ? undefined : new Block(model.dimensions.length + 1, leaves));
		const accounts = weightsUnder(model.accounts, [account]);
		const single = model.accounts.isLeaf(account);
		const folds = new Map<number, { where: AxisRead; weights: Float64Array | undefined }>(
			[...axes].map(([axis, where]) => [
				axis,
				{ where, weights: where.kind === 'over' ? weightsUnder(model.dimensions[axis]!, where.ordinals) : undefined }
			])
		);
		const key = new Int32Array(model.dimensions.length + 1);
		const targets = this.#crossesEntities ? this.#currencies : [''];
		const add = (address: Int32Array, leaf: number, value: number, weight: number, axis: number): void => {
			while (axis < address.length) {
				const fold = folds.get(axis);
				const own = address[axis]!;
				if (axis === model.accountAxis) key[axis] = 0;
				else if (!fold) key[axis] = own;
				else if (fold.where.kind === 'member') {
					if (own !== fold.where.ordinal) return;
					key[axis] = 0;
				} else if (fold.weights) {
					if (fold.weights[own] === 0) return;
					weight *= fold.weights[own]!;
					key[axis] = 0;
				} else {
					const { tree } = model.dimensions[axis]!;
					let counted = weight;
					let at = own;
					// To its root, or to each member above it.
					while (tree.parent[at]! >= 0) {
						counted *= tree.weight[at]!;
						at = tree.parent[at]!;
						if (fold.where.kind === 'parent' && counted !== 0) {
							key[axis] = at;
							add(address, leaf, value, counted, axis + 1);
						}
					}
					if (fold.where.kind === 'parent') return;
					if (counted === 0) return;
					weight = counted;
					key[axis] = at;
				}
				axis++;
			}
			targets.forEach((currency, place) => {
				key[address.length] = place;
				const shown = currency === '' ? value : this.#inCurrency(address, leaf, value, currency);
				if (!isEmpty(shown)) this.#count(sums, counts, key, leaf, shown * (fold === 'sum' || fold === 'avg' ? weight : 1));
			});
		};
		eachCell(
			this.#reading,
			(ordinal) => accounts[ordinal] !== 0 && (single || model.account(ordinal)?.consolidation === 'sum'),
			(address, leaf, value) => add(address, leaf, value, accounts[address[model.accountAxis]!]!, 0)
		);
		void cube;
	}

	#inCurrency(address: Int32Array, leaf: number, value: number, currency: string): number {
		const { model } = this.#reading;
		const facts = model.account(address[model.accountAxis]!);
		if (!facts || !isTranslated(facts)) return value;
		return translated(this.#reading, value, factorsInto(this.#reading, this.#rates, address[model.accountAxis]!, address, currency)[leaf]!);
	}

	#count(sums: Block, counts: Block | undefined, key: Int32Array, leaf: number, value: number): void {
		const place = sums.ensure(key) * sums.width + leaf;
		const before = sums.values[place]!;
		if (counts) {
			const counted = counts.ensure(key) * counts.width + leaf;
			counts.values[counted] = isEmpty(counts.values[counted]!) ? 1 : counts.values[counted]! + 1;
		}
		const { fold } = this.#operand;
		if (fold === 'first') sums.values[place] = isEmpty(before) ? value : before;
		else sums.values[place] = isEmpty(before) || fold === 'last' ? value : before + value;
	}
}

/** Another period, a whole level, or from its start to here: by the account's own time behaviour, within the scenario's span. */
class TimeReader implements OperandReader {
	readonly #reading: Reading;
	readonly #operand: Operand;
	readonly #base: OperandReader;
	readonly #behaviour: string;
	readonly #shift: Int32Array | undefined;
	#span = { from: 0, to: 0 };
	#address: Int32Array = new Int32Array(0);
	/** The same operand in the scenarios that others continue from: before a scenario's own periods they speak. */
	readonly #earlier = new Map<number, { reader: OperandReader; isTargeted: boolean }>();

	constructor(reading: Reading, operand: Operand, base: OperandReader) {
		const { model } = reading;
		this.#reading = reading;
		this.#operand = operand;
		this.#base = base;
		const leaf = model.accounts.tree.leaves(operand.account).find((each) => model.account(each));
		this.#behaviour = (leaf === undefined ? undefined : model.account(leaf)?.timeBehaviour) ?? 'flow';
		this.#shift = operand.shift && reading.shifts.table(operand.shift.level, operand.shift.by);
	}

	target(address: Int32Array): void {
		const { model } = this.#reading;
		this.#base.target(address);
		this.#address = address;
		for (const other of this.#earlier.values()) other.isTargeted = false;
		const where = this.#operand.axes.get(model.scenarioAxis);
		const scenario = where?.kind === 'member' ? where.ordinal : address[model.scenarioAxis]!;
		this.#span = model.scenario(scenario)?.span ?? { from: 0, to: model.periods.leaves.length - 1 };
	}

	at(leaf: number): number {
		const { model, shifts } = this.#reading;
		const { period, span } = this.#operand;
		const here = this.#shift ? this.#shift[leaf]! : leaf;
		if (here < 0) return EMPTY;
		if (period !== undefined) return this.#over(model.periods.range(period));
		if (!span) return this.#readerAt(here).at(here);
		const run = shifts.run(span.level, here);
		return run ? this.#over({ from: run.from, to: span.to === 'here' ? here : run.to }) : EMPTY;
	}

	/** Who speaks about a leaf period: the current scenario, or before its periods the one it continues from. */
	#readerAt(leaf: number): OperandReader {
		const { model } = this.#reading;
		if (leaf >= this.#span.from || this.#operand.axes.has(model.scenarioAxis)) return this.#base;
		const own = this.#address[model.scenarioAxis]!;
		const scenario = continuationOf(model, own, leaf)?.scenario ?? own;
		if (scenario === own) return this.#base;
		let other = this.#earlier.get(scenario);
		if (!other) {
			const axes = new Map([...this.#operand.axes, [model.scenarioAxis, { kind: 'member', ordinal: scenario } as const]]);
			const { shift: _, span: __, ...operand } = this.#operand;
			this.#earlier.set(scenario, (other = { reader: operandReader(this.#reading, { ...operand, axes }), isTargeted: false }));
		}
		if (!other.isTargeted) other.reader.target(this.#address);
		other.isTargeted = true;
		return other.reader;
	}

	#over(range: { from: number; to: number }): number {
		const from = Math.max(range.from, this.#span.from);
		const to = Math.min(range.to, this.#span.to);
		if (to < from) return EMPTY;
		if (from === to) return this.#base.at(from);
		switch (this.#behaviour) {
			case 'closing':
				return this.#base.at(to);
			case 'opening':
				return this.#base.at(from);
			case 'none':
				return EMPTY;
			case 'latest': {
				for (let leaf = to; leaf >= from; leaf--) if (!isEmpty(this.#base.at(leaf))) return this.#base.at(leaf);
				return EMPTY;
			}
			default: {
				let total = EMPTY;
				for (let leaf = from; leaf <= to; leaf++) {
					const value = this.#base.at(leaf);
					if (!isEmpty(value)) total = isEmpty(total) ? value : total + value;
				}
				return this.#behaviour === 'average' ? total / (to - from + 1) : total;
			}
		}
	}

	eachSource(visit: (address: Int32Array) => void): void {
		this.#base.eachSource(visit);
	}
}

/** How each member counts in some others: the product of the weights up to them, 0 outside. */
const weightTables = new WeakMap<Dimension, Map<string, Float64Array>>();
export function weightsUnder(dimension: Dimension, ordinals: readonly number[]): Float64Array {
	let tables = weightTables.get(dimension);
	if (!tables) weightTables.set(dimension, (tables = new Map()));
	const key = ordinals.length > 20 ? '' : ordinals.join(' ');
	const known = key === '' ? undefined : tables.get(key);
	if (known) return known;
	const weights = new Float64Array(dimension.members.length);
	const { tree } = dimension;
	for (const top of ordinals)
		for (const leaf of tree.leaves(top)) {
			let weight = 1;
			for (let at = leaf; at !== top; at = tree.parent[at]!) weight *= tree.weight[at]!;
			weights[leaf] = weights[leaf]! + weight;
		}
	if (key !== '') tables.set(key, weights);
	return weights;
}

function rootOf({ tree }: Dimension, ordinal: number): number {
	let at = ordinal;
	while (tree.parent[at]! >= 0) at = tree.parent[at]!;
	return at;
}

/** Every leaf cell of some accounts with its value, stored or computed where a live formula stands. The address is reused. */
export function eachCell(
	{ model, cube }: Pick<Reading, 'model' | 'cube'>,
	wants: (account: number) => boolean,
	visit: (address: Int32Array, leaf: number, value: number) => void
): void {
	const address = new Int32Array(model.dimensions.length);
	for (const { scenario, year, block } of cube.store.blocks()) {
		const { span } = model.scenario(scenario) ?? { span: { from: 0, to: -1 } };
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) {
			const account = accounts[series]!;
			if (!wants(account)) continue;
			const isLive = model.live.has(account);
			block.readAddress(series, address);
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (value !== value) continue;
				const leaf = model.periods.at(year, position)?.index;
				if (leaf === undefined || leaf < span.from || leaf > span.to || (isLive && model.live.hides(account, scenario, leaf))) continue;
				visit(address, leaf, value);
			}
		}
	}
	for (const formula of model.live.ordered)
		if (wants(formula.account))
			eachLiveCell(model, cube, undefined, formula, model.periods.years, (live, year, position, value) => {
				const leaf = model.periods.at(year, position)!.index;
				const { span } = model.scenario(live[model.scenarioAxis]!) ?? { span: { from: 0, to: -1 } };
				if (leaf >= span.from && leaf <= span.to) visit(live, leaf, value);
			});
}

/** Addresses of some accounts at which something is stored or computed; an address may come more than once. */
function eachAddress({ model, cube }: Reading, wants: (account: number) => boolean, visit: (address: Int32Array) => void): void {
	const address = new Int32Array(model.dimensions.length);
	for (const { block } of cube.store.blocks()) {
		const accounts = block.coordinates[model.accountAxis]!;
		for (let series = 0; series < block.count; series++) if (wants(accounts[series]!)) visit(block.readAddress(series, address));
	}
	for (const formula of model.live.ordered)
		if (wants(formula.account)) eachLiveCell(model, cube, undefined, formula, model.periods.years, (live) => visit(live));
}

function translated({ missingRates }: Reading, value: number, factor: number): number {
	if (isEmpty(value)) return value;
	if (isEmpty(factor)) missingRates.count++;
	return value * factor;
}

function factorsBetween(
	reading: Reading,
	known: Map<string, Float64Array>,
	account: number,
	source: Int32Array,
	entity: number
): Float64Array | undefined {
	const currency = reading.model.currencyOf(entity);
	return reading.model.currencyOf(source[reading.model.entityAxis]!) === currency
		? undefined
		: factorsInto(reading, known, account, source, currency);
}

/** Factors from a cell's currency into another, per leaf period, at the rates of the cell's scenario. */
function factorsInto(
	{ model }: Reading,
	known: Map<string, Float64Array>,
	account: number,
	source: Int32Array,
	currency: string
): Float64Array {
	const local = model.currencyOf(source[model.entityAxis]!);
	const scenario = source[model.scenarioAxis]!;
	const use = rateUse(model.account(account)!);
	const key = `${local} ${currency} ${scenario} ${use}`;
	let factors = known.get(key);
	if (!factors) known.set(key, (factors = translationFactors(model, local, currency, (period) => model.rateSetAt(scenario, period), use)));
	return factors;
}
