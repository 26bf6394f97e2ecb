import { accountsRead, evaluate } from '../formula';
import { continuationOf, type AccountDefinition, type LiveFormula } from '../model';
import { EMPTY, isEmpty, overPeriods, Sum } from '../number';
import { Accumulator } from './accumulator';
import type { ClassShare } from './classes';
import { LeafReadings } from './leaf-readings';
import { isReadByLeaf, weigherOf } from './read-by-leaf';
import { eachLiveCell } from './live';
import { asResult, LeafReader, liveMemo } from './live-value';
import { eachLiveChange, type TakeColumn } from './live-changes';
import type { CompiledQuery, QueryRange } from './query';
import type { Address, CellChange } from '../cell';
import type { Reader } from './reader';
import type { Block } from './series-store';
import { isTranslated, Translator, type MissingRate } from './translation';

/** What else is to be said of a figure; bits. */
export const CellFlag = {
	/** A rate or a weight is missing beneath, so the figure lacks something. */
	incomplete: 1,
	/** Blank because it would add up several currencies. */
	mixedCurrency: 2,
	/** Blank because several different choices, dates, texts or facts lie beneath. */
	mixedValues: 4,
	/** Cells beneath with a value and no weight were left out. */
	unweighted: 8
} as const;

export interface ViewResult {
	/** Row by row; empty is NaN. */
	values: Float64Array;
	flags: Uint8Array;
}

/** A class combination that counts in a cell. */
interface Part {
	/** Which accumulated series. */
	series: number;
	weight: number;
	scenario: number;
	entity: number;
	/** A member of the dimension of movements, −1 where another line or none holds it. */
	mover: number;
}

/** A class of leaf accounts that counts in an account. */
interface AccountPart {
	share: ClassShare;
	account: AccountDefinition;
	/** One of its accounts. */
	leaf: number;
	/** The account itself, where it is read leaf by leaf. */
	byLeaf: number;
}

/** In `#knownFlags`: not worked out yet. */
const UNKNOWN = 255;

const NEUTRAL: Part = { series: 0, weight: 1, scenario: -1, entity: -1, mover: -1 };

/**
 * A query that stays open over a cube: filled by one scan, kept right by changed cells, evaluated when asked.
 */
export class View {
	readonly query: CompiledQuery;
	readonly #sums: Accumulator;
	readonly #rowParts: Part[][];
	readonly #columnParts: Part[][];
	readonly #sliceParts: Part[];
	readonly #accountParts = new Map<number, AccountPart[]>();
	readonly #translator: Translator;
	readonly #leafReadings: LeafReadings;
	/** Accounts read by leaf, and the accounts that weigh them: a change of either makes them be read again. */
	readonly #watched: Set<number>;
	/** Accumulated series over each run of periods, by `series × ranges + range`; worked out once until something changes. */
	readonly #known: Float64Array;
	readonly #knownFlags: Uint8Array;
	/** The last result, and which of its cells are no longer right: all, or those of some accounts in some runs of periods. */
	#result: ViewResult | undefined;
	#staleAccounts = new Set<number>();
	#stalePeriods = { from: Number.POSITIVE_INFINITY, to: Number.NEGATIVE_INFINITY };
	/** By account: itself, the accounts its formula reads, and theirs. */
	readonly #reads = new Map<number, number[]>();
	#source: Reader | undefined;

	constructor(query: CompiledQuery) {
		this.query = query;
		this.#sums = new Accumulator(query);
		this.#known = new Float64Array(query.series * query.ranges.length);
		this.#knownFlags = new Uint8Array(this.#known.length).fill(UNKNOWN);
		this.#translator = new Translator(query.model, query.currency, query.otherRates);
		this.#leafReadings = new LeafReadings(query, this.#translator);
		this.#watched = watchedAccounts(query);
		this.#sliceParts = this.#partsOf(query.slice);
		this.#rowParts = query.rows.map((line) => this.#partsOf(line));
		this.#columnParts = query.columns.map((line) => this.#partsOf(line));
	}

	/**
	 * Empties the view and adds up what a reader sees. O(series in the blocks met × dimensions).
	 */
	fill(reader: Reader): void {
		this.#source = reader;
		const { cube, visible } = reader;
		this.#sums.clear();
		this.#knownFlags.fill(UNKNOWN);
		this.#result = undefined;
		this.#leafReadings.forget();
		this.#translator.forgetMissing();
		this.#translator.readInstead(reader.ratesInstead);
		const { model, classes, years } = this.query;
		const scenarioClasses = classes[model.scenarioAxis]!;
		for (let scenario = 0; scenario < scenarioClasses.classOf.length; scenario++) {
			const scenarioClass = scenarioClasses.classOf[scenario]!;
			if (scenarioClass < 0) continue;
			years.forEach((year, index) => {
				const block = cube.store.block(scenario, year);
				if (block) this.#sums.scan(block, scenario, index, visible);
			});
		}
		reader.eachChanged(
			(address, year, position, value) => this.#changeStored(address, year, position, cube.read(address, year, position), value),
			{ years, within: classes.map(({ classOf }) => classOf) }
		);
		const computed = classes[model.accountAxis]!.classOf;
		const memo = liveMemo(model);
		for (const formula of model.live.ordered)
			if (computed[formula.account]! >= 0)
				eachLiveCell(
					reader,
					formula,
					years,
					(address, year, position, value) => this.#changeLeaf(address, year, position, EMPTY, value),
					memo
				);
	}

	/**
	 * A leaf cell went from one effective value to another. O(dimensions).
	 * @returns whether the view covers the cell
	 */
	change(change: CellChange): boolean {
		let covered = this.#changeShown(change);
		if (this.#source)
			eachLiveChange(this.#source, change, {
				cell: (result, atYear, atPosition, was, is) => {
					covered = this.#changeLeaf(result, atYear, atPosition, was, is) || covered;
				},
				column: (block, account, scenario, atYear, atPosition) => {
					const take = this.#changeColumn(block, account, scenario, atYear, atPosition);
					covered ||= take !== undefined;
					return take;
				}
			});
		return covered;
	}

	/**
	 * A stored cell changed. Where a formula computes it, what is stored does not show; where it may be typed over, the
	 * result shows as long as nothing is stored.
	 */
	#changeShown({ address, year, position, before, after }: CellChange): boolean {
		const formula = this.#standingAt(address, year, position);
		if (!formula) return this.#changeLeaf(address, year, position, before, after);
		if (!formula.mayBeTyped) return false;
		const result = new LeafReader(this.query.model, this.#source!.read).compute(formula, Int32Array.from(address), year, position);
		const shown = (stored: number) => (isEmpty(stored) ? result : stored);
		return this.#changeLeaf(address, year, position, shown(before), shown(after));
	}

	/** The same while the view is filled, before any result is in it. */
	#changeStored(address: Address, year: number, position: number, before: number, after: number): void {
		if (this.#standingAt(address, year, position)?.mayBeTyped === false) return;
		this.#changeLeaf(address, year, position, before, after);
	}

	#standingAt(address: Address, year: number, position: number): LiveFormula | undefined {
		const { model } = this.query;
		const account = address[model.accountAxis]!;
		const period = model.live.has(account) ? model.periods.at(year, position)?.index : undefined;
		return period === undefined ? undefined : model.live.at(account, address[model.scenarioAxis]!, period);
	}

	#changeLeaf(address: Address, year: number, position: number, before: number, after: number): boolean {
		const { model, classes } = this.query;
		if (this.#source && !this.#source.mayRead(address)) return false;
		const account = address[model.accountAxis]!;
		if (this.#watched.has(account)) {
			this.#leafReadings.forget(account);
			this.#result = undefined;
		}
		const series = this.#sums.change(address, year, position, before, after);
		if (series < 0) return this.#watched.has(account);
		this.#noteStale(classes[model.accountAxis]!.classOf[account]!, model.periods.at(year, position)?.index);
		if (this.query.ranges.some(({ toDate }) => toDate)) this.#knownFlags.fill(UNKNOWN);
		else this.#knownFlags.fill(UNKNOWN, series * this.query.ranges.length, (series + 1) * this.query.ranges.length);
		return true;
	}

	/** Takes changes of many leaves of one account and period at once; undefined where the view covers none of them. */
	#changeColumn(block: Block, account: number, scenario: number, year: number, position: number): TakeColumn | undefined {
		const { model, classes } = this.query;
		if (this.#source?.visible || this.#watched.has(account)) {
			const address = new Int32Array(model.dimensions.length);
			return (series: Int32Array, count: number, before: Float64Array, after: Float64Array) => {
				for (let at = 0; at < count; at++) {
					block.readAddress(series[at]!, address)[model.accountAxis] = account;
					this.#changeLeaf(address, year, position, asResult(before[at]!), asResult(after[at]!));
				}
			};
		}
		const take = this.#sums.changeColumn(block, account, scenario, year, position);
		if (!take) return undefined;
		this.#noteStale(classes[model.accountAxis]!.classOf[account]!, model.periods.at(year, position)?.index);
		this.#knownFlags.fill(UNKNOWN);
		return take;
	}

	/** The rates that were looked for and are not there, since the view was filled. */
	get missingRates(): MissingRate[] {
		return this.#translator.missing;
	}

	/**
	 * All cells of the grid. After changes only the cells they reach are worked out again. The arrays are new each time.
	 * O(cells × class combinations beneath each).
	 */
	evaluate(): ViewResult {
		const rows = this.query.rows.length;
		const columns = this.query.columns.length;
		const last = this.#result;
		const values = last ? last.values.slice() : new Float64Array(rows * columns);
		const flags = last ? last.flags.slice() : new Uint8Array(rows * columns);
		for (let row = 0; row < rows; row++)
			for (let column = 0; column < columns; column++) {
				if (last && !this.#isStale(row, column)) continue;
				const reading = { flags: 0 };
				values[row * columns + column] = this.#amount(this.#accountAt(row, column), row, column, reading);
				flags[row * columns + column] = reading.flags;
			}
		this.#staleAccounts.clear();
		this.#stalePeriods = { from: Number.POSITIVE_INFINITY, to: Number.NEGATIVE_INFINITY };
		this.#result = { values, flags };
		return { values, flags };
	}

	#noteStale(accountClass: number, period: number | undefined): void {
		this.#staleAccounts.add(accountClass);
		if (period === undefined) return;
		this.#stalePeriods.from = Math.min(this.#stalePeriods.from, period);
		this.#stalePeriods.to = Math.max(this.#stalePeriods.to, period);
	}

	/** Whether a changed account class counts in a cell, or in what its formula reads, within the cell's periods. */
	#isStale(row: number, column: number): boolean {
		if (this.#staleAccounts.size === 0) return false;
		const range = this.query.ranges[this.#rangeAt(row, column)]!;
		if (range.to < this.#stalePeriods.from || range.from > this.#stalePeriods.to) return false;
		return this.#readsOf(this.#accountAt(row, column)).some((account) =>
			this.#accountClasses(account).some(({ share }) => this.#staleAccounts.has(share.class))
		);
	}

	#readsOf(account: number): number[] {
		let reads = this.#reads.get(account);
		if (!reads) {
			const { model } = this.query;
			const formula = model.formula(account);
			const operands = formula
				? [...accountsRead(formula.expression)].map((member) => model.accounts.ordinal(member)).filter((ordinal) => ordinal !== undefined)
				: [];
			this.#reads.set(account, (reads = [account, ...operands.flatMap((operand) => this.#readsOf(operand))]));
		}
		return reads;
	}

	/** The class combinations of a line, the account left out: it may be replaced by a formula's operands. */
	#partsOf(line: Int32Array): Part[] {
		const { model, classes, strides } = this.query;
		let parts = [NEUTRAL];
		for (let axis = 0; axis < line.length; axis++) {
			if (line[axis]! < 0 || axis === model.accountAxis) continue;
			const shares = classes[axis]!.shares.get(line[axis]!)!;
			parts = parts.flatMap((part) =>
				shares.map((share) => ({
					series: part.series + share.class * strides[axis]!,
					weight: part.weight * share.weight,
					scenario: axis === model.scenarioAxis ? classes[axis]!.representative[share.class]! : part.scenario,
					entity: axis === model.entityAxis ? classes[axis]!.representative[share.class]! : part.entity,
					mover: axis === model.balanceRoles.axis ? classes[axis]!.representative[share.class]! : part.mover
				}))
			);
		}
		return parts;
	}

	#accountAt(row: number, column: number): number {
		const { accountAxis, model, slice, rows, columns } = this.query;
		const line = accountAxis === 'row' ? rows[row]! : accountAxis === 'column' ? columns[column]! : slice;
		return line[model.accountAxis]!;
	}

	/** Which of the query's runs of periods a cell has. */
	#rangeAt(row: number, column: number): number {
		const { periodAxis, rangeOf } = this.query;
		return rangeOf[periodAxis === 'row' ? row : periodAxis === 'column' ? column : 0]!;
	}

	#amount(account: number, row: number, column: number, reading: { flags: number }): number {
		const { model } = this.query;
		const formula = model.formula(account);
		if (formula)
			return evaluate(formula.expression, ({ member }) => {
				const operand = model.accounts.ordinal(member);
				return operand === undefined ? EMPTY : this.#amount(operand, row, column, reading);
			});
		return this.#total(account, row, column, reading);
	}

	/** A cell consolidated from the class combinations beneath it. */
	#total(account: number, row: number, column: number, reading: { flags: number }): number {
		const { strides, model, currency } = this.query;
		const range = this.#rangeAt(row, column);
		const total = new Sum();
		let local: string | undefined;
		for (const { share, account: own, leaf, byLeaf } of this.#accountClasses(account)) {
			const accountSeries = share.class * strides[model.accountAxis]!;
			const keys: number[] = [];
			// Last values of amounts add up; those of prices and percents are weighed or averaged in one heap.
			const addsLatest = byLeaf >= 0 && own.timeBehaviour === 'latest' && own.consolidation === 'sum';
			for (const rowPart of this.#rowParts[row]!)
				for (const columnPart of this.#columnParts[column]!)
					for (const slicePart of this.#sliceParts) {
						const series = accountSeries + rowPart.series + columnPart.series + slicePart.series;
						const scenario = Math.max(rowPart.scenario, columnPart.scenario, slicePart.scenario);
						const entity = Math.max(rowPart.entity, columnPart.entity, slicePart.entity);
						const mover = Math.max(rowPart.mover, columnPart.mover, slicePart.mover);
						const facts = (mover < 0 ? undefined : model.balanceRoles.factsBeside(leaf, mover)) ?? own;
						const weight = share.weight * rowPart.weight * columnPart.weight * slicePart.weight;
						if (byLeaf >= 0 && !addsLatest) keys.push(series);
						const value =
							byLeaf >= 0
								? this.#hasLeafCells(byLeaf, series, range)
								: this.#seriesOver({ series, account: facts, scenario, entity }, range, reading);
						if (isEmpty(value)) continue;
						if (currency === 'local' && isTranslated(facts) && entity >= 0) {
							local ??= model.currencyOf(entity);
							if (local !== model.currencyOf(entity)) {
								reading.flags |= CellFlag.mixedCurrency;
								return EMPTY;
							}
						}
						if (byLeaf < 0) total.add(value * weight);
						else if (addsLatest) total.add(this.#byLeaf(byLeaf, [series], range, reading) * weight);
					}
			if (keys.length > 0) total.add(this.#byLeaf(byLeaf, keys, range, reading) * share.weight);
		}
		return total.value;
	}

	/** Classes of leaf accounts that count in an account; those that do not add up count only in themselves. */
	#accountClasses(account: number): AccountPart[] {
		const known = this.#accountParts.get(account);
		if (known) return known;
		const { model, classes } = this.query;
		const leafClasses = classes[model.accountAxis]!;
		const isLeaf = model.accounts.isLeaf(account);
		const parts = (leafClasses.shares.get(account) ?? []).flatMap((share): AccountPart[] => {
			const leaf = leafClasses.representative[share.class]!;
			const facts = model.account(leaf);
			if (!facts || model.formula(leaf)) return [];
			const adds = facts.consolidation === 'sum' && (facts.frequency ?? 'per period') === 'per period';
			return isLeaf || adds ? [{ share, account: facts, leaf, byLeaf: isReadByLeaf(facts) ? leaf : -1 }] : [];
		});
		this.#accountParts.set(account, parts);
		return parts;
	}

	/** What an account read by leaf comes to over class combinations. */
	#byLeaf(account: number, keys: readonly number[], range: number, reading: { flags: number }): number {
		const found = this.#leafReadings.read(this.#source!, account, keys, range);
		if (found.incomplete) reading.flags |= CellFlag.incomplete;
		if (found.mixed) reading.flags |= CellFlag.mixedValues;
		if (found.unweighted > 0) reading.flags |= CellFlag.unweighted;
		return found.value;
	}

	/** 1 where an account read by leaf has cells in a class combination, else empty. */
	#hasLeafCells(account: number, series: number, range: number): number {
		const { cells, incomplete } = this.#leafReadings.read(this.#source!, account, [series], range);
		return cells > 0 || incomplete ? 1 : EMPTY;
	}

	/** One accumulated series over a run of leaf periods, worked out once. */
	#seriesOver(of: SeriesFacts, range: number, reading: { flags: number }): number {
		const place = of.series * this.query.ranges.length + range;
		if (this.#knownFlags[place] === UNKNOWN) {
			const own = { flags: 0 };
			this.#known[place] = this.#overPeriods(of, this.query.ranges[range]!, own);
			this.#knownFlags[place] = own.flags;
		}
		reading.flags |= this.#knownFlags[place]!;
		return this.#known[place]!;
	}

	/** By time behaviour, within the scenario's span, translated leaf period by leaf period. */
	#overPeriods(of: SeriesFacts, asked: QueryRange, reading: { flags: number }): number {
		const span = this.query.model.scenario(of.scenario)?.span;
		const from = asked.toDate ? asked.from : Math.max(asked.from, span?.from ?? 0);
		const to = Math.min(asked.to, span?.to ?? Number.MAX_SAFE_INTEGER);
		if (to < from || (asked.toDate && to < (span?.from ?? 0))) return EMPTY;
		const factors = this.#translator.factors(of.account, of.entity, of.scenario);
		const at = (index: number): number =>
			span && index < span.from ? this.#continuedAt(of, index, reading) : this.#translatedAt(of, index, factors, reading);
		return overPeriods(of.account.timeBehaviour, from, to, at);
	}

	/** The same series in the scenario that this one continues from, at that one's rates. */
	#continuedAt(of: SeriesFacts, index: number, reading: { flags: number }): number {
		const { model, classes, strides } = this.query;
		const before = continuationOf(model, of.scenario, index);
		if (!before) return EMPTY;
		const { classOf } = classes[model.scenarioAxis]!;
		const offset = (classOf[before.scenario]! - classOf[of.scenario]!) * strides[model.scenarioAxis]!;
		const there = { ...of, series: of.series + offset, scenario: before.scenario };
		return this.#translatedAt(there, index, this.#translator.factors(of.account, of.entity, before.scenario), reading);
	}

	#translatedAt(of: SeriesFacts, index: number, factors: Float64Array | undefined, reading: { flags: number }): number {
		const value = this.#sums.at(of.series, index);
		if (!factors || isEmpty(value)) return value;
		const factor = factors[index]!;
		if (isEmpty(factor)) {
			reading.flags |= CellFlag.incomplete;
			this.#translator.noteMissing(of.account, of.entity, of.scenario, index);
		}
		return value * factor;
	}
}

/** An accumulated series and what all of it shares. */
interface SeriesFacts {
	series: number;
	account: AccountDefinition;
	scenario: number;
	entity: number;
}

/** Accounts the query reads by leaf, and those that weigh them. */
function watchedAccounts({ model, classes }: CompiledQuery): Set<number> {
	const watched = new Set<number>();
	classes[model.accountAxis]!.classOf.forEach((leafClass, account) => {
		const facts = model.account(account);
		if (leafClass < 0 || !facts || !isReadByLeaf(facts)) return;
		watched.add(account);
		const weigher = weigherOf(model, facts);
		if (weigher !== undefined) watched.add(weigher);
	});
	return watched;
}
