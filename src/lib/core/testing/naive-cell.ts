import type { Dimension } from '../dimension';
import { evaluate } from '../formula';
import type { Model, TimeBehaviour } from '../model';

/** A stored value of one origin at a leaf cell; the address as ordinals. */
export interface StoredCell {
	origin: number;
	address: number[];
	/** Index of the leaf period. */
	period: number;
	value: number;
}

/** One figure with what is to be said of it. */
export interface NaiveResult {
	value: number | undefined;
	incomplete: boolean;
	mixed: boolean;
}

/**
 * The value of any cell, worked out the obvious way from all stored values: what the rules say, and nothing for speed.
 * The cube is held against it on random models.
 * @param members one ordinal per dimension; period an ordinal of the period dimension
 */
export function naiveCell(
	model: Model,
	cells: readonly StoredCell[],
	members: readonly number[],
	period: number,
	currency: string
): NaiveResult {
	const result: NaiveResult = { value: undefined, incomplete: false, mixed: false };
	const account = members[model.accountAxis]!;
	const formula = model.formula(account);
	if (formula) {
		const value = evaluate(formula.expression, (member) => {
			const operand = members.with(model.accountAxis, model.accounts.ordinal(member)!);
			const read = naiveCell(model, cells, operand, period, currency);
			result.incomplete ||= read.incomplete;
			result.mixed ||= read.mixed;
			return read.value ?? Number.NaN;
		});
		return { ...result, value: Number.isNaN(value) ? undefined : value };
	}
	const range = model.periods.range(period);
	const currencies = new Set<string>();
	const terms: number[] = [];
	for (const [key, address] of leafAddresses(cells)) {
		const weight = address.reduce((product, leaf, axis) => product * weightUp(model.dimensions[axis]!, leaf, members[axis]!), 1);
		const facts = model.account(address[model.accountAxis]!);
		if (weight === 0 || !facts || model.formula(address[model.accountAxis]!)) continue;
		if (facts.consolidation !== 'sum') continue;
		const scenario = model.scenario(address[model.scenarioAxis]!)!;
		const from = Math.max(range.from, scenario.span.from);
		const to = Math.min(range.to, scenario.span.to);
		if (to < from) continue;
		const own = cells.filter((cell) => cell.address.join() === key);
		const local = model.entityAxis < 0 ? 'EUR' : model.currencyOf(address[model.entityAxis]!);
		const translated = facts.valueType === 'money' || facts.valueType === 'price';
		const rates = model.rates(scenario.definition.rateSet)!;
		const at = (index: number): number | undefined => {
			const value = effective(
				model,
				own.filter((cell) => cell.period === index)
			);
			if (value === undefined) return undefined;
			if (!translated || currency === 'local' || currency === local) return value;
			const leaf = model.periods.leaf(facts.timeBehaviour === 'opening' ? index - 1 : index);
			const kind = facts.timeBehaviour === 'closing' || facts.timeBehaviour === 'opening' ? 'closing' : 'average';
			const factor = leaf ? rates.factor(local, currency, kind, leaf.start, leaf.end) : Number.NaN;
			if (Number.isNaN(factor)) {
				result.incomplete = true;
				return undefined;
			}
			return value * factor;
		};
		const overTime = overPeriods(facts.timeBehaviour, from, to, at);
		if (overTime === undefined) continue;
		if (translated) currencies.add(local);
		terms.push(overTime * weight);
	}
	if (currency === 'local' && currencies.size > 1) return { value: undefined, incomplete: false, mixed: true };
	if (terms.length > 0) result.value = terms.reduce((sum, term) => sum + term, 0);
	return result;
}

/** Only the periods that a behaviour looks at are read: a rate missing elsewhere does not matter. */
function overPeriods(behaviour: TimeBehaviour, from: number, to: number, at: (index: number) => number | undefined): number | undefined {
	if (behaviour === 'closing') return at(to);
	if (behaviour === 'opening') return at(from);
	if (behaviour === 'none') return from === to ? at(from) : undefined;
	const values = Array.from({ length: to - from + 1 }, (_, offset) => at(from + offset));
	const present = values.filter((value) => value !== undefined);
	if (present.length === 0) return undefined;
	const total = present.reduce((sum, value) => sum + value, 0);
	return behaviour === 'flow' ? total : total / values.length;
}

function leafAddresses(cells: readonly StoredCell[]): Map<string, number[]> {
	return new Map(cells.map(({ address }) => [address.join(), address]));
}

/** The product of the weights from a leaf up to, not including, a member; 0 when the leaf is not under it. */
function weightUp(dimension: Dimension, leaf: number, member: number): number {
	let weight = 1;
	for (let at = leaf; at !== member; at = dimension.tree.parent[at]!) {
		if (at < 0) return 0;
		weight *= dimension.tree.weight[at]!;
	}
	return weight;
}

/** The entry if there is one, else the sum of proposals; plus the additions. */
function effective(model: Model, cells: readonly StoredCell[]): number | undefined {
	const of = (mode: string) => cells.filter(({ origin }) => model.origin(origin)!.mode === mode).map(({ value }) => value);
	const basis = of('entry').length > 0 ? of('entry') : of('proposes');
	const parts = [...basis, ...of('adds')];
	return parts.length === 0 ? undefined : parts.reduce((sum, value) => sum + value, 0);
}
