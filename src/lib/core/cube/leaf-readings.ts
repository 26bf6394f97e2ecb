import { continuationOf, type AccountDefinition } from '../model';
import { EMPTY, isEmpty, isValue, overPeriods } from '../number';
import { eachLiveCell } from './live';
import type { CompiledQuery, QueryRange } from './query';
import { LeafReader, liveMemo, type LiveMemo } from './live-value';
import { weigherOf } from './read-by-leaf';
import type { Reader, StoredReader } from './reader';
import type { Block } from './series-store';
import type { Translator } from './translation';

/** What the cells of such an account come to over one class combination and run of periods. */
interface Reading {
	/** Σ of values, or of value × weight. */
	sum: number;
	weight: number;
	cells: number;
	/** Cells with a value and no weight. */
	unweighted: number;
	least: number;
	most: number;
	incomplete: boolean;
}

/** A series of the cube, found. */
interface StoredSeries {
	block: Block;
	series: number;
}

/** The result over several class combinations. */
export interface LeafReading {
	value: number;
	incomplete: boolean;
	/** Several different choices, dates, texts or facts. */
	mixed: boolean;
	/** Leaf cells with a value left out for want of a weight, of how many. */
	unweighted: number;
	cells: number;
}

/**
 * Reads accounts that are not sums, leaf by leaf: one pass over the series of the account, for every run of periods the
 * query asks. Read again when one of its cells, or of its weighing account, has changed.
 */
export class LeafReadings {
	readonly #query: CompiledQuery;
	readonly #translator: Translator;
	/** Live results while an account is being read. */
	#memo: LiveMemo | undefined;
	/** By account ordinal: readings by `key × ranges + range`. Missing while not read. */
	readonly #readings = new Map<number, Map<number, Reading>>();

	constructor(query: CompiledQuery, translator: Translator) {
		this.#query = query;
		this.#translator = translator;
	}

	/** Forgets what was read of an account and of those it weighs; all of them without an account. */
	forget(account?: number): void {
		if (account === undefined) return this.#readings.clear();
		const { model } = this.#query;
		const member = model.accounts.member(account).id;
		for (const known of this.#readings.keys())
			if (known === account || model.account(known)?.weight === member) this.#readings.delete(known);
	}

	/**
	 * The value of an account over class combinations, given as accumulated series without the account's own part.
	 * @param keys series offsets as in the accumulator, account included
	 */
	read(reader: Reader, account: number, keys: readonly number[], range: number): LeafReading {
		const { model, ranges } = this.#query;
		let readings = this.#readings.get(account);
		if (!readings) {
			this.#memo = undefined;
			this.#readings.set(account, (readings = this.#scan(reader, account)));
			this.#memo = undefined;
		}
		const facts = model.account(account)!;
		const total: Reading = fresh();
		for (const key of keys) {
			const reading = readings.get(key * ranges.length + range);
			if (!reading) continue;
			total.sum += reading.sum;
			total.weight += reading.weight;
			total.cells += reading.cells;
			total.unweighted += reading.unweighted;
			total.least = Math.min(total.least, reading.least);
			total.most = Math.max(total.most, reading.most);
			total.incomplete ||= reading.incomplete;
		}
		return consolidate(facts, total);
	}

	#scan(reader: Reader, account: number): Map<number, Reading> {
		const { cube, visible } = reader;
		const { model, ranges, classes, years } = this.#query;
		const readings = new Map<number, Reading>();
		const facts = model.account(account)!;
		const frequency = facts.frequency ?? 'per period';
		const wanted = frequency === 'timeless' ? [0] : years;
		const scenarioClasses = classes[model.scenarioAxis]!;
		const scenarios = [...scenarioClasses.classOf.keys()].filter((scenario) => scenarioClasses.classOf[scenario]! >= 0);
		const address = new Int32Array(model.dimensions.length);
		for (const scenario of scenarios)
			for (const year of wanted) {
				const block = cube.store.block(scenario, year);
				const maySee = block && visible?.testerFor(block.coordinates);
				if (block)
					for (let series = 0; series < block.count; series++) {
						if (block.coordinates[model.accountAxis]![series] !== account) continue;
						if (maySee && !maySee(series)) continue;
						this.#readSeries(reader, { block, series }, block.readAddress(series, address), year, readings);
					}
				// Series that only the layers have.
				const added = new Map<string, Int32Array>();
				reader.eachChanged(
					(changed) => {
						if (!block || block.find(changed) < 0) added.set(changed.join(), changed.slice());
					},
					{ scenario, year, account }
				);
				for (const changed of added.values()) this.#readSeries(reader, undefined, changed, year, readings);
			}
		for (let range = 0; range < ranges.length; range++)
			if (facts.timeBehaviour === 'latest' && (facts.frequency ?? 'per period') === 'per period')
				this.#readLatest(reader, account, facts, scenarios, range, readings);
		return readings;
	}

	/** Adds one series to the readings of every run of periods it meets; latest values have a pass of their own. */
	#readSeries(reader: Reader, found: StoredSeries | undefined, address: Int32Array, year: number, readings: Map<number, Reading>): void {
		const { model, ranges } = this.#query;
		// None of these accounts opens, moves or closes: only what adds up does.
		const facts = model.account(address[model.accountAxis]!)!;
		if (facts.timeBehaviour === 'latest' && (facts.frequency ?? 'per period') === 'per period') return;
		const key = this.#keyOf(address);
		if (key < 0) return;
		const scenario = address[model.scenarioAxis]!;
		const span = model.scenario(scenario)?.span;
		const valueAt = (position: number) =>
			found ? reader.readAt(found.block, found.series, address, year, position) : reader.read(address, year, position);
		const frequency = facts.frequency ?? 'per period';
		if (frequency !== 'per period') {
			const stored = valueAt(0);
			if (isEmpty(stored)) return;
			const factors = this.#translator.factors(facts, model.entityAxis < 0 ? -1 : address[model.entityAxis]!, scenario);
			ranges.forEach((range, index) => {
				if (range.to < range.from) return;
				const within =
					frequency === 'timeless' ||
					(model.periods.leaf(range.from).fiscalYear === year && model.periods.leaf(range.to).fiscalYear === year);
				if (!within) return;
				// One value for many periods: at the rate of the last one asked for.
				const at = Math.min(range.to, span?.to ?? range.to);
				const value = factors ? stored * factors[at]! : stored;
				if (isEmpty(value)) this.#translator.noteMissing(facts, address[model.entityAxis]!, scenario, at);
				this.#take(readings, key, index, value, EMPTY, facts);
			});
			return;
		}
		const entity = model.entityAxis < 0 ? -1 : address[model.entityAxis]!;
		const factors = this.#translator.factors(facts, entity, scenario);
		const weigher = facts.consolidation === 'weighted by' ? weigherOf(model, facts) : undefined;
		const weightAddress = weigher === undefined ? undefined : address.with(model.accountAxis, weigher);
		const weighing = weigher === undefined ? undefined : this.#weighing(reader);
		const weightFacts = weightAddress && model.factsAt(weightAddress);
		const weightFactors = weightFacts && this.#translator.factors(weightFacts, entity, scenario);
		for (let position = 0; position < model.periods.width; position++) {
			const stored = valueAt(position);
			if (isEmpty(stored)) continue;
			const leaf = model.periods.at(year, position);
			if (!leaf || (span && (leaf.index < span.from || leaf.index > span.to))) continue;
			const value = factors ? stored * factors[leaf.index]! : stored;
			if (isEmpty(value)) this.#translator.noteMissing(facts, entity, scenario, leaf.index);
			let weight = EMPTY;
			if (weightAddress) {
				weight = weighing!(weightAddress, year, position);
				if (weightFactors) weight *= weightFactors[leaf.index]!;
			}
			ranges.forEach((range, index) => {
				if (leaf.index < range.from || leaf.index > range.to) return;
				for (const reader of this.#readersOf(scenario, leaf.index, range)) {
					if (!this.#looksAt(facts, reader, leaf.index, range)) continue;
					this.#take(
						readings,
						reader === scenario ? key : this.#keyOf(address.with(model.scenarioAxis, reader)),
						index,
						value,
						weight,
						facts
					);
				}
			});
		}
	}

	/** Whether a scenario's figure over a run of periods takes a leaf period: the last of the run, its first, or any. */
	#looksAt({ timeBehaviour }: AccountDefinition, scenario: number, index: number, range: QueryRange): boolean {
		const span = this.#query.model.scenario(scenario)?.span;
		if (timeBehaviour === 'closing') return index === Math.min(range.to, span?.to ?? range.to);
		if (timeBehaviour === 'opening') return index === (range.toDate ? range.from : Math.max(range.from, span?.from ?? range.from));
		return true;
	}

	/** Per leaf the last value present in a run of periods, added up with the leaves' weights. */
	#readLatest(
		reader: Reader,
		account: number,
		facts: AccountDefinition,
		scenarios: readonly number[],
		range: number,
		readings: Map<number, Reading>
	): void {
		const { model, ranges } = this.#query;
		const found = new Map<string, { address: Int32Array; period: number; value: number }>();
		const note = (address: Int32Array, year: number, position: number, value: number, isResult = false) => {
			const leaf = model.periods.at(year, position);
			const span = model.scenario(address[model.scenarioAxis]!)?.span;
			if (leaf && isLive && !isResult && model.live.hides(account, address[model.scenarioAxis]!, leaf.index)) return;
			if (!leaf || isEmpty(value) || leaf.index < ranges[range]!.from || leaf.index > ranges[range]!.to) return;
			if (span && (leaf.index < span.from || leaf.index > span.to)) return;
			for (const reader of this.#readersOf(address[model.scenarioAxis]!, leaf.index, ranges[range]!)) {
				const seen = address.with(model.scenarioAxis, reader);
				// Beside an opening, a movement or a closing balance it is no last value.
				const beside = model.factsAt(address)!;
				const isLast = beside.timeBehaviour === 'latest';
				if (!isLast && !this.#looksAt(beside, reader, leaf.index, ranges[range]!)) continue;
				const key = isLast ? seen.join() : `${seen.join()} ${leaf.index}`;
				const known = found.get(key);
				if (!known || known.period < leaf.index) found.set(key, { address: seen, period: leaf.index, value });
			}
		};
		const isLive = model.live.has(account);
		const address = new Int32Array(model.dimensions.length);
		for (const scenario of scenarios)
			for (const { year, block } of reader.cube.store.blocks()) {
				if (reader.cube.store.block(scenario, year) !== block) continue;
				for (let series = 0; series < block.count; series++) {
					if (block.coordinates[model.accountAxis]![series] !== account) continue;
					block.readAddress(series, address);
					if (this.#keyOf(address) >= 0 && reader.mayRead(address)) this.#eachShown(reader, { block, series }, address, year, note);
				}
			}
		reader.eachChanged(
			(changed, year, position, value) => {
				if (this.#keyOf(changed) >= 0) note(changed, year, position, value);
			},
			{ account }
		);
		if (isLive) {
			const years = new Set<number>();
			for (let index = ranges[range]!.from; index <= ranges[range]!.to; index++) years.add(model.periods.leaf(index).fiscalYear);
			for (const formula of model.live.ordered)
				if (formula.account === account)
					eachLiveCell(reader, formula, [...years], (result, year, position, value) => {
						if (this.#keyOf(result) >= 0) note(result, year, position, value, true);
					});
		}
		for (const { address: leaf, period, value } of found.values()) {
			const scenario = leaf[model.scenarioAxis]!;
			const entity = model.entityAxis < 0 ? -1 : leaf[model.entityAxis]!;
			const span = model.scenario(scenario)?.span;
			const beside = model.factsAt(leaf)!;
			const at = beside.timeBehaviour === 'latest' ? Math.min(ranges[range]!.to, span?.to ?? ranges[range]!.to) : period;
			const factors = this.#translator.factors(beside, entity, scenario);
			const translated = factors ? value * factors[at]! : value;
			if (isEmpty(translated)) this.#translator.noteMissing(beside, entity, scenario, Math.max(period, at));
			// Only what adds up counts by the weights of its members; a price is one, whatever its account subtracts from.
			if (facts.consolidation === 'sum') this.#take(readings, this.#keyOf(leaf), range, translated * this.#weightOf(leaf), EMPTY, facts);
			else this.#take(readings, this.#keyOf(leaf), range, translated, this.#weightOver(reader, facts, leaf, ranges[range]!), facts);
		}
	}

	/** How a leaf counts in the only member that is asked of each dimension; where several are, its class says so. */
	#weightOf(leaf: ArrayLike<number>): number {
		return this.#query.classes.reduce((product, { factor }, axis) => product * (factor?.[leaf[axis]!] ?? 1), 1);
	}

	/** The weigher of a leaf over a run of periods, by its own time behaviour. */
	#weightOver(reader: Reader, facts: AccountDefinition, leaf: Int32Array, range: QueryRange): number {
		const { model } = this.#query;
		const weigher = facts.consolidation === 'weighted by' ? weigherOf(model, facts) : undefined;
		if (weigher === undefined) return EMPTY;
		const read = this.#weighing(reader);
		const address = leaf.with(model.accountAxis, weigher);
		const weightFacts = model.factsAt(address);
		if (!weightFacts) return EMPTY;
		const own = leaf[model.scenarioAxis]!;
		const span = model.scenario(own)?.span ?? range;
		const from = range.toDate ? range.from : Math.max(range.from, span.from);
		const to = Math.min(range.to, span.to);
		const entity = model.entityAxis < 0 ? -1 : leaf[model.entityAxis]!;
		const at = (index: number): number => {
			const scenario = index < span.from ? (continuationOf(model, own, index)?.scenario ?? own) : own;
			address[model.scenarioAxis] = scenario;
			const { fiscalYear, position } = model.periods.leaf(index);
			const value = read(address, fiscalYear, position);
			const factors = this.#translator.factors(weightFacts, entity, scenario);
			return factors ? value * factors[index]! : value;
		};
		return overPeriods(weightFacts.timeBehaviour, from, to, at);
	}

	/** Reads weighing accounts: stored, or computed where a live formula stands. */
	#weighing({ read: stored }: Reader): StoredReader {
		const { model } = this.#query;
		const leaves = new LeafReader(model, stored, (this.#memo ??= liveMemo(model)));
		return (address, year, position) =>
			model.live.has(address[model.accountAxis]!)
				? leaves.value(Int32Array.from(address), year, position)
				: stored(address, year, position);
	}

	/**
	 * The scenarios in which a leaf period of a scenario is read: itself, and in a run to date those that continue from it
	 * and speak about some of the run.
	 */
	#readersOf(scenario: number, index: number, { from, to, toDate }: QueryRange): number[] {
		const { model, classes } = this.#query;
		const readers = [scenario];
		if (!toDate) return readers;
		const { classOf } = classes[model.scenarioAxis]!;
		for (let other = 0; other < classOf.length; other++) {
			const span = model.scenario(other)?.span;
			if (other === scenario || classOf[other]! < 0 || !span || index >= span.from || from >= span.from || to < span.from) continue;
			if (continuationOf(model, other, index)?.scenario === scenario) readers.push(other);
		}
		return readers;
	}

	#eachShown(
		reader: Reader,
		{ block, series }: StoredSeries,
		address: Int32Array,
		year: number,
		note: (address: Int32Array, year: number, position: number, value: number) => void
	): void {
		for (let position = 0; position < block.width; position++)
			note(address, year, position, reader.readAt(block, series, address, year, position));
	}

	#take(readings: Map<number, Reading>, key: number, range: number, value: number, weight: number, facts: AccountDefinition): void {
		const place = key * this.#query.ranges.length + range;
		let reading = readings.get(place);
		if (!reading) readings.set(place, (reading = fresh()));
		if (isEmpty(value)) {
			reading.incomplete = true;
			return;
		}
		reading.cells++;
		reading.least = Math.min(reading.least, value);
		reading.most = Math.max(reading.most, value);
		if (facts.consolidation !== 'weighted by') reading.sum += value;
		else if (isEmpty(weight)) reading.unweighted++;
		else {
			reading.sum += value * weight;
			reading.weight += weight;
		}
	}

	/** The accumulated series an address belongs to, −1 when the query does not cover it. */
	#keyOf(address: ArrayLike<number>): number {
		const { classes, strides } = this.#query;
		let key = 0;
		for (let axis = 0; axis < classes.length; axis++) {
			const leafClass = classes[axis]!.classOf[address[axis]!]!;
			if (leafClass < 0) return -1;
			key += leafClass * strides[axis]!;
		}
		return key;
	}
}

const fresh = (): Reading => ({
	sum: 0,
	weight: 0,
	cells: 0,
	unweighted: 0,
	least: Number.POSITIVE_INFINITY,
	most: Number.NEGATIVE_INFINITY,
	incomplete: false
});

/** One value out of a reading, by the account's consolidation. */
function consolidate(facts: AccountDefinition, { sum, weight, cells, unweighted, least, most, incomplete }: Reading): LeafReading {
	const outcome = (value: number, more: Partial<LeafReading> = {}): LeafReading => ({
		value,
		incomplete,
		mixed: false,
		unweighted: 0,
		cells,
		...more
	});
	if (cells === 0) return outcome(EMPTY);
	const coded =
		facts.valueType === 'choice' ||
		facts.valueType === 'date' ||
		facts.valueType === 'text' ||
		(facts.frequency ?? 'per period') !== 'per period';
	// A rate averaged over months of unequal length gives the same amount up to the last bits.
	const isOne = least === most || Math.abs(most - least) <= 1e-12 * Math.abs(most);
	if (coded) return isOne ? outcome(least) : outcome(EMPTY, { mixed: true });
	switch (facts.consolidation) {
		case 'weighted by':
			// Where all leaves agree the common value shows, weights or not.
			if (isOne) return outcome(least);
			return outcome(weight === 0 ? EMPTY : sum / weight, { unweighted, incomplete: incomplete || unweighted > 0 });
		case 'average':
			return outcome(sum / cells);
		case 'sum':
			return outcome(sum);
		default:
			return outcome(cells === 1 && isValue(least) ? least : EMPTY);
	}
}
