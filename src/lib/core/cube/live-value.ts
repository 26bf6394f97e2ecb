import { compileVectors, evaluate, inDomain, sameRead, type AccountRead, type CellFacts, type VectorFormula } from '../formula';
import { continuationOf, type LiveFormula, type LiveOperand, type Model } from '../model';
import { EMPTY, isValue } from '../number';
import type { StoredReader } from './reader';
import { Block } from './series-store';
import { NOTHING } from './standing';

/**
 * Results of formulas that look into other periods, kept while nothing changes: each is worked out once, however many
 * later periods look back at it.
 */
export type LiveMemo = Block;
export const liveMemo = (model: Model): LiveMemo => new Block(model.dimensions.length, model.periods.leaves.length);
/** In a memo: worked out, and empty. NaN is not worked out yet. */
const KNOWN_EMPTY = Number.POSITIVE_INFINITY;

/**
 * Reads leaves as they show: computed where a per-leaf formula stands, stored elsewhere. A computed 0 is empty: it adds
 * nothing and takes no place. Addresses that are asked for are changed and put back while operands are read.
 */
export class LeafReader {
	readonly #model: Model;
	readonly #stored: StoredReader;
	readonly #memo: LiveMemo | undefined;
	readonly #frozen: Model['frozen'];

	/**
	 * @param stored reads what is stored
	 * @param memo keeps results of formulas that look into other periods, as long as nothing changes
	 * @param frozen results that show instead of what formulas come to
	 */
	constructor(model: Model, stored: StoredReader, memo?: LiveMemo, frozen = model.frozen) {
		this.#frozen = frozen;
		this.#model = model;
		this.#stored = stored;
		this.#memo = memo;
	}

	/** What a leaf shows. */
	value(address: Int32Array, year: number, position: number): number {
		const model = this.#model;
		const period = model.periods.at(year, position)?.index;
		const account = address[model.accountAxis]!;
		const formula = period === undefined ? undefined : model.live.at(account, address[model.scenarioAxis]!, period);
		return formula ? this.result(formula, address, year, position) : this.#stored(address, year, position);
	}

	/** What shows at a cell where a formula stands: what is stored there, where that may stand above the result, else the result. */
	result(formula: LiveFormula, address: Int32Array, year: number, position: number): number {
		const stored = formula.mayBeTyped ? this.#stored(address, year, position) : EMPTY;
		return isValue(stored) ? stored : this.compute(formula, address, year, position);
	}

	/** What a per-leaf formula comes to at a cell, or came to when it was frozen. */
	compute(formula: LiveFormula, address: Int32Array, year: number, position: number): number {
		const frozen = this.#frozen ? this.#frozen.get(address, year, position) : EMPTY;
		if (isValue(frozen)) return frozen === NOTHING ? EMPTY : frozen;
		if (!formula.moving) return this.#once(formula, address, year, position);
		// Without a memo each look back would begin anew, and two of them a period double the work each time.
		const known = this.#memo;
		if (!known)
			return new LeafReader(this.#model, this.#stored, liveMemo(this.#model), this.#frozen).compute(formula, address, year, position);
		const { index } = this.#model.periods.at(year, position)!;
		const found = known.values[known.ensure(address) * known.width + index]!;
		if (found === found) return found === KNOWN_EMPTY ? EMPTY : found;
		const value = this.#once(formula, address, year, position);
		known.values[known.ensure(address) * known.width + index] = isValue(value) ? value : KNOWN_EMPTY;
		return value;
	}

	/** What a per-leaf formula would come to at a cell, frozen or not. */
	computed(formula: LiveFormula, address: Int32Array, year: number, position: number): number {
		return this.#once(formula, address, year, position);
	}

	#once(own: LiveFormula, address: Int32Array, year: number, position: number): number {
		const { expression, operands, placeOf, plain } = own;
		const model = this.#model;
		const leaf = model.periods.at(year, position)!.index;
		const valueOf = (operand: LiveOperand) => this.#operand(operand, address, { year, position, leaf });
		if (plain) {
			// All are read first: one that looks back may come by here again meanwhile, and the columns are the formula's own.
			const values = operands.map(valueOf);
			const { inputs, compute } = singleCell(own);
			for (let place = 0; place < values.length; place++) inputs[place]![0] = values[place]!;
			return asResult(compute(inputs, 1)[0]!);
		}
		// Each operand is read once, though asked twice: for whether there is a place, and for the value.
		const values = new Array<number | undefined>(operands.length);
		const operand = (asked: AccountRead): number => {
			const at = placeOf.get(asked)!;
			return (values[at] ??= valueOf(operands[at]!));
		};
		if (!inDomain(expression, operand)) return EMPTY;
		return asResult(evaluate(expression, operand, factsOf(model, own.tests, address, leaf)));
	}

	/** An operand's value for a result at a cell. */
	#operand(found: LiveOperand, address: Int32Array, { year, position, leaf }: { year: number; position: number; leaf: number }): number {
		const { accountAxis, scenarioAxis } = this.#model;
		const [account, scenario] = [address[accountAxis]!, address[scenarioAxis]!];
		let value: number;
		if (found.isHere) {
			// Most are read at the cell itself.
			address[accountAxis] = found.account;
			value = this.value(address, year, position);
		} else {
			const place = placeRead(this.#model, found, scenario, leaf);
			if (!place) return EMPTY;
			const own = found.fixed.map(({ axis }) => address[axis]!);
			address[accountAxis] = found.account;
			address[scenarioAxis] = place.scenario;
			for (const { axis, ordinal } of found.fixed) address[axis] = ordinal;
			value = this.value(address, place.year, place.position);
			found.fixed.forEach(({ axis }, index) => (address[axis] = own[index]!));
			address[scenarioAxis] = scenario;
		}
		address[accountAxis] = account;
		return value;
	}
}

/** Arithmetic made ready for one cell at a time: a place for each operand, and what works it out. */
interface SingleCell {
	inputs: Float64Array[];
	compute: VectorFormula;
}
const singleCells = new WeakMap<LiveFormula, SingleCell>();
function singleCell(formula: LiveFormula): SingleCell {
	let known = singleCells.get(formula);
	if (!known)
		singleCells.set(
			formula,
			(known = {
				inputs: formula.operands.map(() => new Float64Array(1)),
				compute: compileVectors(formula.expression, placeOfOperand(formula), 1)
			})
		);
	return known;
}

/**
 * Where an operand of a result in a scenario and leaf period is read; before a scenario's own periods the one it continues
 * from speaks. A fact of the year, or of all time, is read in any period without being told where it lies.
 */
export function placeRead(
	model: Model,
	{ account, fixed, shift }: LiveOperand,
	scenario: number,
	leaf: number
): { scenario: number; year: number; position: number } | undefined {
	const here = shift ? shift[leaf]! : leaf;
	if (here < 0) return undefined;
	const { fiscalYear, position } = model.periods.leaf(here);
	const frequency = model.account(account)?.frequency ?? 'per period';
	const isCrossing =
		shift !== undefined && here < (model.scenario(scenario)?.span.from ?? 0) && !fixed.some(({ axis }) => axis === model.scenarioAxis);
	return {
		scenario: isCrossing ? (continuationOf(model, scenario, here)?.scenario ?? scenario) : scenario,
		year: frequency === 'timeless' ? 0 : fiscalYear,
		position: frequency === 'per period' ? position : 0
	};
}

/** What an expression may ask about a cell. */
function factsOf(model: Model, tests: LiveFormula['tests'], address: Int32Array, leaf: number): CellFacts {
	const { periods } = model;
	const axisOf = (id: number) => model.dimensions.findIndex((dimension) => dimension.id === id);
	return {
		leaf,
		periodOf: (member) => {
			const ordinal = periods.dimension.ordinal(member);
			return ordinal === undefined ? EMPTY : periods.range(ordinal).from;
		},
		daysOf: (at) => periods.days(at),
		isIn: (test) => tests.get(test)![test.dimension === periods.dimension.id ? leaf : address[axisOf(test.dimension)]!] === 1,
		isChosen: (id, member) => {
			if (id === periods.dimension.id) {
				const ordinal = periods.dimension.ordinal(member);
				const range = ordinal === undefined ? undefined : periods.range(ordinal);
				return range !== undefined && leaf >= range.from && leaf <= range.to;
			}
			const axis = axisOf(id);
			const ordinal = model.dimensions[axis]!.ordinal(member);
			return ordinal !== undefined && model.dimensions[axis]!.tree.isUnder(address[axis]!, ordinal);
		}
	};
}

/** A computed 0, and what is no number, is empty (∞ − ∞ and empty − empty are not 0). */
export const asResult = (value: number): number => (value === 0 || value - value !== 0 ? EMPTY : value);

/** The place of a read among a formula's operands. */
export const placeOfOperand =
	({ operands, placeOf }: LiveFormula) =>
	(asked: AccountRead): number =>
		placeOf.get(asked) ?? operands.findIndex(({ read }) => sameRead(read, asked));
