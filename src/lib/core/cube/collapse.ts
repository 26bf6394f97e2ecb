import { EMPTY, isEmpty, isValue, Sum } from '../number';
import type { AccountDefinition, Model } from '../model';
import { LeafReader } from './live-value';
import { weigherOf } from './read-by-leaf';
import type { Reader } from './reader';
import { Block } from './series-store';
import { addsUp, adjusts, modeOf, NOTHING, standing, standingOrigins, type Contribution } from './standing';

/** What one origin holds of a collapsed address in a year. */
export interface CollapsedSeries {
	origin: number;
	/** Ordinals, without the dimension that is gone. */
	address: Int32Array;
	year: number;
	amounts: Float64Array;
	/** The newest revision among those a value was written with. */
	stamps: Float64Array;
}

export interface Collapsed {
	series: CollapsedSeries[];
	/** Cells with something in them, afterwards. */
	cells: number;
	/** Cells at which one member's load stood beside another's result or entry: what shows there is an entry now. */
	becameEntries: number;
	/** Cells of what does not add up whose members said different things: weighed or averaged as in a total. */
	weighed: number;
	/** The same where there is no such figure: choices, dates, facts. They are empty now. */
	emptied: number;
}

/**
 * The stored cells of a cube with one dimension taken out: each cell holds what its members came to together, by their
 * weights, so that it shows what a total over the dimension showed. Every origin keeps what adds up; where members are held
 * by different origins, of which only one could stand, an entry says the figure. O(cells).
 * @param axis which dimension; neither accounts nor scenarios
 */
export function collapse(reader: Reader, axis: number): Collapsed {
	const { model, cube } = reader;
	const weights = weightsOf(model, axis);
	const outcome: Collapsed = { series: [], cells: 0, becameEntries: 0, weighed: 0, emptied: 0 };
	for (const { year, block } of cube.store.blocks()) {
		const narrow = new Block(model.dimensions.length - 1, 1);
		const groups: number[][] = [];
		const address = new Int32Array(model.dimensions.length);
		for (let series = 0; series < block.count; series++) {
			if (weights[block.coordinates[axis]![series]!] === 0) continue;
			const place = narrow.ensure(without(block.readAddress(series, address), axis));
			(groups[place] ??= []).push(series);
		}
		groups.forEach((members, place) => {
			const held = new Map<number, CollapsedSeries>();
			const own = narrow.readAddress(place, new Int32Array(model.dimensions.length - 1));
			for (let position = 0; position < block.width; position++) {
				const parts = members.flatMap((series): Part[] => {
					const contributions = cube.contributionsAt(block, series, position);
					if (contributions.length === 0) return [];
					const weight = weights[block.coordinates[axis]![series]!]!;
					return [{ series, weight, contributions, shown: block.values[series * block.width + position]! }];
				});
				if (parts.length === 0) continue;
				const found = together(reader, block, { year, position, axis, weights }, parts, outcome);
				if (found.length > 0) outcome.cells++;
				for (const { origin, value, stamp } of found) {
					let series = held.get(origin);
					if (!series) {
						series = {
							origin,
							address: own,
							year,
							amounts: new Float64Array(block.width).fill(EMPTY),
							stamps: new Float64Array(block.width)
						};
						held.set(origin, series);
					}
					series.amounts[position] = value;
					series.stamps[position] = stamp;
				}
			}
			outcome.series.push(...held.values());
		});
	}
	return outcome;
}

/** One member's share in a collapsed cell. */
interface Part {
	series: number;
	weight: number;
	contributions: Contribution[];
	shown: number;
}

/** Where parts become one: a year and a place in it, of which dimension, and how its leaves count. */
interface CollapsingPlace {
	year: number;
	position: number;
	axis: number;
	weights: Float64Array;
}

/** How each leaf counts in the whole of its dimension. */
function weightsOf(model: Model, axis: number): Float64Array {
	const dimension = model.dimensions[axis]!;
	const weights = new Float64Array(dimension.members.length);
	for (const root of dimension.tree.roots()) dimension.tree.eachWeightedLeaf(root, (leaf, weight) => (weights[leaf] = weight));
	return weights;
}

const without = (address: Int32Array, axis: number): Int32Array => address.filter((_, each) => each !== axis);

/** What a cell holds after the members' parts have become one. */
function together(reader: Reader, block: Block, place: CollapsingPlace, parts: readonly Part[], outcome: Collapsed): Contribution[] {
	const { model } = reader;
	const account = block.coordinates[model.accountAxis]![parts[0]!.series]!;
	if (!addsUp(model, account)) return oneOf(reader, block, place, account, parts, outcome);
	const total = totalOf(reader, block, place, parts);
	const shows = (held: readonly Contribution[]) => isSame(standing(model, account, held), total);
	const all = addedUp(parts.map(({ contributions, weight }) => ({ weight, held: contributions })));
	if (shows(all)) return all;
	const upper = addedUp(
		parts.map(({ contributions, weight }) => {
			const stand = standingOrigins(model, account, contributions);
			return { weight, held: contributions.filter(({ origin }) => stand.has(origin)) };
		})
	);
	if (shows(upper)) return upper;
	outcome.becameEntries++;
	const others = upper.filter(({ origin }) => modeOf(model, origin) !== 'entry');
	const stays = standing(
		model,
		account,
		adjusts(model, account) ? others : others.filter(({ origin }) => modeOf(model, origin) === 'adds')
	);
	if (isEmpty(total)) return others.filter(({ origin }) => modeOf(model, origin) === 'adds');
	const entries = model.definition.origins.find(({ mode }) => mode === 'entry')!;
	return [...others, { origin: entries.id, value: isEmpty(stays) ? total : total - stays, stamp: newest(parts) }];
}

/** What a total over the dimension shows; where a figure may be typed above a result, with the results of the members at which none is. */
function totalOf(reader: Reader, block: Block, { year, position, axis, weights }: CollapsingPlace, parts: readonly Part[]): number {
	const { model } = reader;
	const sum = new Sum();
	const address = block.readAddress(parts[0]!.series, new Int32Array(model.dimensions.length));
	const period = model.periods.at(year, position)?.index;
	const formula = period === undefined ? undefined : model.live.at(address[model.accountAxis]!, address[model.scenarioAxis]!, period);
	if (formula?.mayBeTyped) {
		const leaves = new LeafReader(model, reader.read);
		weights.forEach((weight, leaf) => {
			if (weight === 0) return;
			address[axis] = leaf;
			const value = leaves.value(address, year, position);
			if (isValue(value)) sum.add(value * weight);
		});
	} else for (const { shown, weight } of parts) if (isValue(shown)) sum.add(shown * weight);
	return sum.value;
}

/** What each origin holds of all parts, by their weights; that a result says nothing stays where nothing else says more. */
function addedUp(parts: readonly { weight: number; held: readonly Contribution[] }[]): Contribution[] {
	const sums = new Map<number, { sum: Sum; stamp: number }>();
	for (const { weight, held } of parts)
		for (const { origin, value, stamp } of held) {
			const known = sums.get(origin) ?? { sum: new Sum(), stamp };
			known.stamp = Math.max(known.stamp, stamp);
			if (value !== NOTHING) known.sum.add(value * weight);
			sums.set(origin, known);
		}
	return [...sums].map(([origin, { sum, stamp }]) => ({ origin, value: isEmpty(sum.value) ? NOTHING : sum.value, stamp }));
}

/** Of what does not add up: the value all parts agree on, else what a total would show. */
function oneOf(
	reader: Reader,
	block: Block,
	{ year, position }: { year: number; position: number },
	account: number,
	parts: readonly Part[],
	outcome: Collapsed
): Contribution[] {
	const { model, read } = reader;
	const present = parts.filter(({ shown }) => isValue(shown));
	if (present.length === 0) return [];
	const first = present.reduce((best, part) => (stampOf(model, account, part) > stampOf(model, account, best) ? part : best));
	const stands = standingOrigins(model, account, first.contributions);
	const held = first.contributions.filter(({ origin }) => stands.has(origin));
	if (present.every(({ shown }) => isSame(shown, first.shown))) return held;
	const facts = model.account(account);
	const counts = present.map(({ series }) => {
		const weigher = facts && facts.consolidation === 'weighted by' ? weigherOf(model, facts) : undefined;
		if (weigher === undefined) return facts?.consolidation === 'average' ? 1 : EMPTY;
		const address = block.readAddress(series, new Int32Array(model.dimensions.length));
		address[model.accountAxis] = weigher;
		return new LeafReader(model, read).value(address, year, position);
	});
	const value = isCoded(facts) ? EMPTY : weighedMean(present, counts);
	if (isEmpty(value)) {
		outcome.emptied++;
		return [];
	}
	outcome.weighed++;
	return [{ origin: held[0]!.origin, value, stamp: newest(parts) }];
}

const isCoded = (facts: AccountDefinition | undefined): boolean =>
	facts?.valueType === 'choice' ||
	facts?.valueType === 'date' ||
	facts?.valueType === 'text' ||
	(facts?.frequency ?? 'per period') !== 'per period';

function weighedMean(present: readonly Part[], counts: readonly number[]): number {
	const [sum, count] = [new Sum(), new Sum()];
	present.forEach(({ shown }, place) => {
		if (isEmpty(counts[place]!)) return;
		sum.add(shown * counts[place]!);
		count.add(counts[place]!);
	});
	return isEmpty(count.value) || count.value === 0 ? EMPTY : sum.value / count.value;
}

/** Entries stand before all else; then what is newest. */
function stampOf(model: Model, account: number, { contributions }: Part): number {
	const stands = standingOrigins(model, account, contributions);
	return Math.max(
		...contributions
			.filter(({ origin }) => stands.has(origin))
			.map(({ origin, stamp }) => (modeOf(model, origin) === 'entry' ? Infinity : stamp))
	);
}

const newest = (parts: readonly Part[]): number =>
	Math.max(...parts.flatMap(({ contributions }) => contributions.map(({ stamp }) => stamp)));

const isSame = (one: number, other: number): boolean =>
	one === other || (isEmpty(one) && isEmpty(other)) || Math.abs(one - other) <= 1e-9 * Math.max(1, Math.abs(other));
