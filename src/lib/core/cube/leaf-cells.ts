import type { PeriodRange } from '../calendar';
import { EMPTY, isEmpty, isValue } from '../number';
import { eachLiveCell } from './live';
import type { Reader } from './reader';
import type { Address, CellPlace } from '../cell';

/** A leaf cell beneath a figure. */
export interface LeafCell extends CellPlace {
	value: number;
	/** Product of the weights on the way up. */
	weight: number;
	/** Whether a per-leaf formula computes it. */
	live?: boolean;
}

/**
 * The leaf cells with a value beneath a cell of any level, stored and computed, as a reader sees them.
 * O(series in the scenario's blocks of those years).
 * @param members one ordinal per dimension, leaf or parent
 * @param range the leaf periods asked for
 */
export function leafCells(reader: Reader, members: Address, range: PeriodRange): LeafCell[] {
	const { model, cube, layers } = reader;
	const weights = model.dimensions.map((dimension, axis) => {
		const table = new Float64Array(dimension.members.length).fill(EMPTY);
		dimension.eachWeightedLeaf(members[axis]!, (leaf, weight) => (table[leaf] = weight));
		return table;
	});
	const weightOf = (address: Address): number => {
		let weight = 1;
		for (let axis = 0; axis < weights.length; axis++) weight *= weights[axis]![address[axis]!]!;
		return weight;
	};
	const inRange = (year: number, position: number): boolean => {
		const leaf = model.periods.at(year, position);
		return leaf !== undefined && leaf.index >= range.from && leaf.index <= range.to;
	};
	const isComputed = (address: Address, year: number, position: number): boolean => {
		const account = address[model.accountAxis]!;
		return model.live.has(account) && model.live.hides(account, address[model.scenarioAxis]!, model.periods.at(year, position)!.index);
	};
	const found: LeafCell[] = [];
	const address = new Int32Array(model.dimensions.length);
	const years = new Set<number>();
	for (let index = range.from; index <= range.to; index++) years.add(model.periods.leaf(index).fiscalYear);
	for (let scenario = 0; scenario < model.scenarios.members.length; scenario++) {
		if (isEmpty(weights[model.scenarioAxis]![scenario]!)) continue;
		for (const year of years) {
			const block = cube.store.block(scenario, year);
			if (!block) continue;
			for (let series = 0; series < block.count; series++) {
				const weight = weightOf(block.readAddress(series, address));
				if (isEmpty(weight) || !reader.mayRead(address)) continue;
				for (let position = 0; position < block.width; position++) {
					const value = block.values[series * block.width + position]!;
					if (isEmpty(value) || !inRange(year, position)) continue;
					if (layers.length > 0 && isValue(reader.changed(address, year, position))) continue;
					if (isComputed(address, year, position)) continue;
					found.push({ address: address.slice(), year, position, value, weight });
				}
			}
		}
	}
	reader.eachChanged((changed, year, position, value) => {
		const weight = weightOf(changed);
		if (isEmpty(weight) || !inRange(year, position) || isComputed(changed, year, position)) return;
		if (isValue(value)) found.push({ address: changed.slice(), year, position, value, weight });
	});
	for (const formula of model.live.ordered)
		if (isValue(weights[model.accountAxis]![formula.account]!))
			eachLiveCell(reader, formula, [...years], (computed, year, position, value) => {
				const weight = weightOf(computed);
				if (isValue(weight) && inRange(year, position))
					found.push({ address: computed.slice(), year, position, value, weight, live: true });
			});
	return found;
}
