import type { Address } from '../cell';
import { isEmpty, isValue } from '../number';
import { eachLiveCell } from './live';
import type { Reader } from './reader';

/**
 * Calls back with every leaf cell of a part of a model that shows something, stored or computed, as a reader sees it. The
 * address is reused. O(series of the cube).
 * @param covers by axis which members count (1); all where none is given
 */
export function eachShownCell(
	reader: Reader,
	covers: readonly (Uint8Array | undefined)[],
	visit: (address: Int32Array, year: number, position: number, value: number) => void
): void {
	const { model, cube } = reader;
	const isCovered = (address: Address): boolean => covers.every((cover, axis) => !cover || cover[address[axis]!] === 1);
	const isComputed = (address: Address, year: number, position: number): boolean => {
		const account = address[model.accountAxis]!;
		const leaf = model.live.has(account) ? model.periods.at(year, position)?.index : undefined;
		return leaf !== undefined && model.live.hides(account, address[model.scenarioAxis]!, leaf);
	};
	const address = new Int32Array(model.dimensions.length);
	// Results also stand in years in which nothing is stored: formulas read other periods.
	const years = [...new Set(model.periods.leaves.map(({ fiscalYear }) => fiscalYear))];
	for (const { year, block } of cube.store.blocks()) {
		for (let series = 0; series < block.count; series++) {
			block.readAddress(series, address);
			if (!isCovered(address) || !reader.mayRead(address)) continue;
			for (let position = 0; position < block.width; position++) {
				const value = block.values[series * block.width + position]!;
				if (isEmpty(value) || isComputed(address, year, position)) continue;
				if (reader.layers.length > 0 && isValue(reader.changed(address, year, position))) continue;
				visit(address, year, position, value);
			}
		}
	}
	reader.eachChanged((changed, year, position, value) => {
		if (isValue(value) && isCovered(changed) && !isComputed(changed, year, position)) visit(changed, year, position, value);
	});
	for (const formula of model.live.ordered) {
		if (covers[model.accountAxis]?.[formula.account] === 0) continue;
		eachLiveCell(reader, formula, years, (computed, year, position, value) => {
			if (isCovered(computed)) visit(computed, year, position, value);
		});
	}
}
