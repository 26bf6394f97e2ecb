import type { PeriodRange } from '../calendar';
import type { Address } from '../cell';
import { eachLiveCell, type LeafCell, type Reader, type Translator } from '../cube';
import type { AccountDefinition, Model } from '../model';
import { isEmpty, isValue, Sum } from '../number';

/**
 * How a leaf period counts in a sum over several: what adds up in all of them, balances in the last one (opening ones in the
 * first), averages by their number; 0 outside.
 * @param range the periods of the sum, cut to the scenario's span
 */
export function periodWeight(timeBehaviour: AccountDefinition['timeBehaviour'], leaf: number, { from, to }: PeriodRange): number {
	if (leaf < from || leaf > to) return 0;
	if ((timeBehaviour === 'closing' || timeBehaviour === 'latest') && leaf !== to) return 0;
	if (timeBehaviour === 'opening' && leaf !== from) return 0;
	return timeBehaviour === 'average' ? 1 / (to - from + 1) : 1;
}

/**
 * How leaf cells make up one figure: which of them count, and with what. A figure over several periods takes what adds up
 * from all of them, balances from its last (opening ones from its first), and averages by the number of its periods; only
 * periods of the scenario's span are there.
 */
export class FigureTotal {
	readonly #model: Model;
	readonly #weights: Float64Array[];
	readonly #range: PeriodRange;
	readonly #translator: Translator;
	readonly #reader: Reader;
	/** Whether the figure is of one account that does not add up, or of a fact. */
	readonly #isAlone: boolean;

	/** @param reader whose figure it is */
	constructor(reader: Reader, { members, range }: { members: Address; range: PeriodRange }, translator: Translator) {
		const { model } = reader;
		this.#model = model;
		this.#range = range;
		this.#translator = translator;
		this.#reader = reader;
		this.#weights = model.dimensions.map((dimension, axis) => {
			const table = new Float64Array(dimension.members.length);
			dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => (table[leaf] = weight));
			return table;
		});
		const account = members[model.accountAxis]!;
		this.#isAlone = model.accounts.isLeaf(account) && model.account(account) !== undefined;
	}

	/** The periods of the figure that a scenario speaks about. */
	spanOf(scenario: number): PeriodRange {
		const span = this.#model.scenario(scenario)?.span ?? this.#range;
		return { from: Math.max(this.#range.from, span.from), to: Math.min(this.#range.to, span.to) };
	}

	/** How a leaf cell counts in the figure, its currency apart: 0 where it does not, or where the reader may not see it. */
	weight(address: Address, year: number, position: number): number {
		const model = this.#model;
		const account = address[model.accountAxis]!;
		const facts = model.factsAt(address);
		if (!facts || model.formula(account)) return 0;
		if (!this.#isAlone && (facts.consolidation !== 'sum' || (facts.frequency ?? 'per period') !== 'per period')) return 0;
		const leaf = model.periods.at(year, position)?.index;
		const { from, to } = this.spanOf(address[model.scenarioAxis]!);
		if (leaf === undefined || leaf < from || leaf > to) return 0;
		// A figure of one account alone is its average, not a part of a sum.
		let weight = this.#isAlone && facts.timeBehaviour === 'average' ? 1 : periodWeight(facts.timeBehaviour, leaf, { from, to });
		if (weight === 0) return 0;
		for (let axis = 0; axis < this.#weights.length; axis++) weight *= this.#weights[axis]![address[axis]!]!;
		return weight === 0 || !this.#reader.mayRead(address) ? 0 : weight;
	}

	/** What one unit of a cell is worth in the figure's currency; empty where the rate is missing. */
	rate(address: Address, year: number, position: number): number {
		const model = this.#model;
		const entity = model.entityAxis < 0 ? -1 : address[model.entityAxis]!;
		const factors = this.#translator.factors(model.factsAt(address)!, entity, address[model.scenarioAxis]!);
		return factors ? factors[model.periods.at(year, position)!.index]! : 1;
	}

	/** Accounts with live formulas that count in the figure. */
	get liveAccounts(): number[] {
		const accounts = this.#weights[this.#model.accountAxis]!;
		return [...new Set(this.#model.live.ordered.map(({ account }) => account))].filter((account) => accounts[account] !== 0);
	}

	/** Whether a live result may be typed over: then it is a leaf like others. */
	#mayBeTyped(address: Address, year: number, position: number): boolean {
		const model = this.#model;
		const leaf = model.periods.at(year, position)!.index;
		return model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, leaf)?.mayBeTyped === true;
	}

	/**
	 * What live results add to the figure. O(series of what they read).
	 * @param reader who looks, if not whose figure it is
	 * @param fixedOnly without those that may be typed over
	 */
	live(reader = this.#reader, fixedOnly = false): number {
		const model = this.#model;
		const years = new Set<number>();
		for (let index = this.#range.from; index <= this.#range.to; index++) years.add(model.periods.leaf(index).fiscalYear);
		const accounts = new Set(this.liveAccounts);
		const total = new Sum();
		for (const formula of model.live.ordered)
			if (accounts.has(formula.account) && !(fixedOnly && formula.mayBeTyped))
				eachLiveCell(reader, formula, [...years], (address, year, position, value) => {
					const weight = this.weight(address, year, position);
					if (weight !== 0 && isValue(value)) total.add(value * weight * this.rate(address, year, position));
				});
		return isEmpty(total.value) ? 0 : total.value;
	}

	/**
	 * The stored leaf cells an entry at the figure may go to: those that count in it. A last value lies in the last period,
	 * whichever period it was taken from.
	 */
	stored(cells: readonly LeafCell[]): LeafCell[] {
		const model = this.#model;
		const counted: LeafCell[] = [];
		const latest = new Map<string, LeafCell>();
		for (const cell of cells) {
			const { address, year, position } = cell;
			if (cell.live && !this.#mayBeTyped(address, year, position)) continue;
			if (model.factsAt(address)?.timeBehaviour !== 'latest') {
				if (this.weight(address, year, position) !== 0) counted.push(cell);
				continue;
			}
			const { from, to } = this.spanOf(address[model.scenarioAxis]!);
			const leaf = model.periods.at(year, position)!.index;
			const last = to >= from ? model.periods.leaf(to) : undefined;
			if (!last || leaf < from || leaf > to || this.weight(address, last.fiscalYear, last.position) === 0) continue;
			const key = address.join();
			const known = latest.get(key);
			if (known && model.periods.at(known.year, known.position)!.index >= leaf) continue;
			latest.set(key, cell);
		}
		for (const cell of latest.values()) {
			const last = model.periods.leaf(this.spanOf(cell.address[model.scenarioAxis]!).to);
			counted.push({ ...cell, year: last.fiscalYear, position: last.position });
		}
		return counted;
	}
}
